import { api, type Me } from "../api/client";

// What each role may: to see, to plan, to carry out, to keep, as bits. The server decides by the same.
const rights: Record<string, number> = { nobody: 0, reader: 1, planner: 3, technician: 5, carrier: 7, keeper: 15 };
const needs: Record<string, number> = { reader: 1, planner: 2, technician: 4, carrier: 4, keeper: 8 };

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
    return !this.now.accounts || (this.has(office) & (needs[role] ?? 0)) > 0;
  }
  /** What he is there. */
  role(office: number) {
    const has = this.has(office);
    return Object.entries(rights).find(([, bits]) => bits === has)?.[0] ?? "nobody";
  }
  private has(office: number) {
    return (rights[this.now.everywhere ?? "nobody"] ?? 0) | (rights[this.now.roles?.[office] ?? "nobody"] ?? 0);
  }
}

export const me = new MeState();
