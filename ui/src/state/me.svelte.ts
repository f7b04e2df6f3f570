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
    if (!this.now.accounts) return true;
    const has = Math.max(ranks.indexOf(this.now.everywhere ?? "nobody"), ranks.indexOf(this.now.roles?.[office] ?? "nobody"));
    return has >= ranks.indexOf(role);
  }
}

export const me = new MeState();
