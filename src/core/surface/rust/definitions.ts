/** A parameter of a generic item; lifetimes are left out. */
export type RustTypeParameter = { readonly name: string; readonly hasDefault: boolean };

/** What all items have. */
export type RustCommon = {
  readonly name: string;
  readonly line: number;
  /** `pub`, without a limit behind it. */
  readonly isPublic: boolean;
  /** Conditions under which it is compiled; '' for always. */
  readonly condition: string;
  readonly isNonExhaustive: boolean;
  /** Representations in memory that it promises. */
  readonly layout: string;
  readonly derives: readonly string[];
  readonly typeParameters: readonly RustTypeParameter[];
  /** What type parameters must be, one by one: `T: Clone`. */
  readonly bounds: readonly string[];
};

/** A field of a structure or variant; those without a name are called after their place. */
export type RustField = {
  readonly name: string;
  readonly type: string;
  readonly isPublic: boolean;
  readonly line: number;
};

/** How fields are written. */
export type RustShape = 'unit' | 'tuple' | 'named';

/** A function or method. */
export type RustFunction = RustCommon & {
  readonly kind: 'function';
  readonly receiver: string | null;
  readonly parameters: readonly string[];
  readonly result: string;
  readonly isConst: boolean;
  readonly isAsync: boolean;
  readonly isUnsafe: boolean;
  readonly abi: string;
  /** In a trait: whether there is one to fall back on. */
  readonly hasBody: boolean;
  /** Of a macro of procedures: what it is called as. */
  readonly macro: string | null;
};

/** An item that others may be able to name. */
export type RustItem =
  | RustFunction
  | (RustCommon & {
      readonly kind: 'struct' | 'union';
      readonly shape: RustShape;
      readonly fields: readonly RustField[];
    })
  | (RustCommon & {
      readonly kind: 'variant';
      readonly shape: RustShape;
      readonly fields: readonly RustField[];
      readonly value: string | null;
    })
  | (RustCommon & { readonly kind: 'enum'; readonly variants: readonly RustItem[] })
  | (RustCommon & {
      readonly kind: 'trait';
      readonly items: readonly RustItem[];
      readonly above: readonly string[];
      readonly isUnsafe: boolean;
    })
  | (RustCommon & { readonly kind: 'constant' | 'static'; readonly type: string; readonly hasBody: boolean })
  | (RustCommon & { readonly kind: 'type'; readonly type: string; readonly hasBody: boolean })
  | (RustCommon & { readonly kind: 'macro'; readonly patterns: readonly string[] });

/** `impl`: of a type itself, or of a trait for it. */
export type RustImpl = {
  readonly type: string;
  readonly trait: string | null;
  readonly typeParameters: readonly RustTypeParameter[];
  readonly items: readonly RustItem[];
  readonly line: number;
  readonly condition: string;
};

/** `use`: path segments; `name` is what it is called here, null for all names. */
export type RustUse = {
  readonly path: readonly string[];
  readonly name: string | null;
  readonly isPublic: boolean;
  readonly line: number;
};

/** A module as it is written in one file. */
export type RustModule = {
  readonly file: string;
  readonly items: readonly RustItem[];
  readonly uses: readonly RustUse[];
  readonly impls: readonly RustImpl[];
  readonly modules: readonly RustModuleMention[];
  /** Macros whose calls may define items, with every word inside. */
  readonly calls: readonly { readonly name: string; readonly words: ReadonlySet<string> }[];
};

/** `mod name;` or `mod name { … }`. */
export type RustModuleMention = {
  readonly name: string;
  readonly isPublic: boolean;
  readonly condition: string;
  /** What `#[path]` says; null without it. */
  readonly path: string | null;
  /** Null where it has a file of its own. */
  readonly inline: RustModule | null;
};
