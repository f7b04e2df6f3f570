/** Shapes that were copied from ports of the board, in notation. */
export const clip: { shapes: string[] } = { shapes: [] };
