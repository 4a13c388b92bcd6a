/** Something in the bytes of a file that a rule wants to know of. */
export type Mark = {
  readonly path: string;
  readonly line: number;
  readonly kind: 'secret' | 'own-place' | 'place' | 'map';
  /** What it is: a kind of secret, the place, the address of a map. */
  readonly what: string;
  /** Set where it may be meant to be there. */
  readonly severity?: 'warn';
  /** The file of an archive at the path that holds it; '' for an archive that is read as one text. */
  readonly inside?: string;
};

/** How something looks: a text that leads to it, and the pattern to be sure. */
export type Shape = {
  readonly kind: Mark['kind'];
  /** ASCII text that every such thing has. */
  readonly anchor: string;
  /** How many characters before the anchor the pattern may need. */
  readonly before: number;
  /** Matched against Latin-1 text around the anchor. */
  readonly pattern: RegExp;
  readonly what: string | ((match: RegExpExecArray) => string);
  readonly severity?: 'warn';
  /** @param line what stands before the anchor on its line. */
  readonly isReal?: (match: RegExpExecArray, line: string) => boolean;
};
