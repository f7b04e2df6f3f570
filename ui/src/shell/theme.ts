import type { ThemeConfig } from "flowbite-svelte";

/** Paper and ink: what of the library's parts is ours. A part's own class, and a view's style, come after it. */
const paper = "rounded-[3px] border border-hair dark:border-hair bg-panel dark:bg-panel text-ink dark:text-ink";
const field = `${paper} text-sm placeholder:italic placeholder:text-soft dark:placeholder:text-soft aria-invalid:border-red focus:border-plum dark:focus:border-plum focus:ring-0`;

export const theme: ThemeConfig = {
  button: {
    base: `${paper} inline-block min-h-7 px-2.5 py-0.5 text-[length:inherit] leading-[inherit] font-normal hover:border-plum hover:bg-panel dark:hover:bg-panel hover:text-ink dark:hover:text-ink focus-within:ring-0 focus-within:text-ink disabled:hover:border-hair`,
  },
  input: { input: `${field} inline-block min-h-[30px] w-auto px-2 py-[3px]` },
  select: { base: "inline-block w-auto max-w-full rounded-none align-middle", select: `${field} min-h-[30px] py-[3px] pr-7 pl-2` },
  fileupload: { wrapper: "inline-block w-auto", base: `${field} w-auto cursor-pointer file:px-2.5 file:py-1` },
  table: { div: "overflow-x-visible", table: "text-[length:inherit] text-[color:inherit] dark:text-[color:inherit]" },
  checkbox: {
    div: "gap-1.5 font-normal",
    base: "me-0 rounded-none border-soft bg-panel text-ink focus:ring-0",
  },
};
