import { me } from "./me.svelte";
import { office } from "./office.svelte";

/** What is said where one may not do a thing, "" where one may: it is not offered then. */
class May {
  private short(role: string) {
    const id = office.view?.id ?? 0;
    return me.may(role, id) ? "" : `This takes a ${role}, and you are a ${me.role(id)} here.`;
  }
  /** Change the plan, as it is now. */
  plan = $derived(
    this.short("planner") ||
      (office.then ? `This is revision ${office.then.revision}, which is past: go back to now to change something.` : ""),
  );
  /** Read and set devices, tick off what was done. */
  carry = $derived(this.short("carrier"));
  /** Restore an earlier state, keep people and credentials. */
  keep = $derived(this.short("keeper"));
  /** Make an office. */
  make = $derived(me.may("planner", 0) ? "" : `An office is made by a planner of all offices, and you are a ${me.role(0)} of all.`);
}

export const may = new May();

/** What a part has beside its own attributes where its act is not offered. */
export function only(why: string) {
  return why ? { disabled: true, "data-tip": why } : {};
}
