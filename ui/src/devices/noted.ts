/** The statement that notes a fact of a device, or of a port of one; an empty text takes it away. */
export const noted = (of: string, word: string, text: string) =>
  text.trim() ? `${of} ${word} ${JSON.stringify(text.trim())}` : `-${of} ${word}`;
