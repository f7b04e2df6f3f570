const rule = new Intl.PluralRules("en");

/** The word that fits a number: port or ports. */
export const word = (n: number, one: string, many = `${one}s`) => (rule.select(n) === "one" ? one : many);

/** A number with the word that fits it: 1 port, 3 ports. */
export const count = (n: number, one: string, many?: string) => `${n} ${word(n, one, many)}`;
