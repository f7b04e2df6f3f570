/** Lets only the answer to the newest of several questions through: the promise of an older one never settles. */
export interface Newest {
  <T>(question: Promise<T>): Promise<T>;
  /** Lets no answer through to what was asked so far. */
  drop(): void;
}

export function latest(): Newest {
  let asked = 0;
  const newest = <T>(question: Promise<T>): Promise<T> => {
    const mine = ++asked;
    return new Promise((resolve, reject) => {
      question.then(
        (x) => mine === asked && resolve(x),
        (e: unknown) => mine === asked && reject(e),
      );
    });
  };
  return Object.assign(newest, { drop: () => void asked++ });
}
