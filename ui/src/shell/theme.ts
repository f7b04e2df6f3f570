import type { ThemeConfig } from "flowbite-svelte";

/** Paper and ink: what of the library's parts is ours. A part's own class, and a view's style, come after it. */
const paper =
  "rounded-[3px] border border-[var(--hair)] dark:border-[var(--hair)] bg-[var(--panel)] dark:bg-[var(--panel)] text-[color:var(--ink)] dark:text-[color:var(--ink)]";

export const theme: ThemeConfig = {
  button: {
    base: `${paper} inline-block min-h-7 px-2.5 py-0.5 text-[length:inherit] leading-[inherit] font-normal hover:border-[var(--plum)] hover:bg-[var(--panel)] dark:hover:bg-[var(--panel)] hover:text-[color:var(--ink)] dark:hover:text-[color:var(--ink)] focus-within:ring-0 focus-within:text-[color:var(--ink)] disabled:hover:border-[var(--hair)]`,
  },
};
