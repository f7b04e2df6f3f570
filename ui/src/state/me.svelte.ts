import { api, type Me } from "../api/client";

const ranks = ["nobody", "reader", "planner", "carrier", "keeper"];

/** Who sits here, and what he may; where nobody signs in, everything. */
class MeState {
  now = $state.raw<Me>({ name: "", accounts: false });
  /** Somebody has to sign in before anything is shown. */
  out = $state(false);

  /** Asks who it is; false where he has to sign in first. */
  async find() {
    this.take(await api.me());
    return !this.out;
  }
  take(me: Me) {
    this.now = me;
    this.out = me.accounts && me.name === "";
  }
  /** Whether he may what a role may in an office, 0 for all. */
  may(role: string, office: number) {
    return !this.now.accounts || this.rank(office) >= ranks.indexOf(role);
  }
  /** What he is there. */
  role(office: number) {
    return ranks[this.rank(office)]!;
  }
  private rank(office: number) {
    return Math.max(0, ranks.indexOf(this.now.everywhere ?? "nobody"), ranks.indexOf(this.now.roles?.[office] ?? "nobody"));
  }
}

export const me = new MeState();
