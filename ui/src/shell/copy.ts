import { office } from "../state/office.svelte";

/** Copies a text, and says so; or says that the browser does not let it. */
export async function copy(text: string, what = text) {
  try {
    await navigator.clipboard.writeText(text);
    office.notice = { kind: "said", text: `Copied ${what}` };
  } catch {
    office.notice = { kind: "said", text: "The browser does not let this page copy: select the value and copy it." };
  }
}
