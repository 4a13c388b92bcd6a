/** One package document with its versions and pointers, as the protocol has it. */
export type StoredPackage = {
  readonly _rev: string;
  readonly name: string;
  readonly 'dist-tags': Readonly<Record<string, string>>;
  readonly versions: Readonly<Record<string, Readonly<Record<string, unknown>>>>;
  readonly time: Readonly<Record<string, string>>;
  readonly maintainers: readonly { readonly name: string }[];
  readonly description?: unknown;
  readonly readme?: unknown;
  /** Versions that show up only from a time on: ISO 8601. */
  readonly hidden?: Readonly<Record<string, string>>;
};
