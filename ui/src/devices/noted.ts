/** The statement that notes a fact of a device, or of a port of one; an empty text takes it away. */
export const noted = (of: string, word: string, text: string) =>
  text.trim() ? `${of} ${word} ${JSON.stringify(text.trim())}` : `-${of} ${word}`;

/** A word as a label says it. */
export const label = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);
