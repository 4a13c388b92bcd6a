/** A parameter of a generic declaration. */
export type GoTypeParameter = { readonly name: string; readonly constraint: string };

/** What a function takes and gives; without the names of parameters. */
export type GoSignature = { readonly parameters: readonly string[]; readonly results: readonly string[] };

/** A field of a structure; an embedded one is called after its type. */
export type GoField = {
  readonly name: string;
  readonly type: string;
  readonly tag: string;
  readonly isEmbedded: boolean;
  readonly line: number;
};

/** A method of an interface. */
export type GoMethodElement = { readonly name: string; readonly signature: GoSignature; readonly line: number };

type Common = {
  readonly name: string;
  readonly file: string;
  readonly line: number;
  /** Under which it is compiled; '' for always. */
  readonly condition: string;
};

/** A function, or a method where it has a receiver. */
export type GoFunction = Common & {
  readonly kind: 'function';
  readonly receiver: { readonly type: string; readonly isPointer: boolean } | null;
  readonly typeParameters: readonly GoTypeParameter[];
  readonly signature: GoSignature;
};

/** A type. */
export type GoType = Common & {
  readonly kind: 'type';
  readonly typeParameters: readonly GoTypeParameter[];
} & (
    | { readonly form: 'struct'; readonly fields: readonly GoField[] }
    | {
        readonly form: 'interface';
        readonly methods: readonly GoMethodElement[];
        /** Embedded interfaces, and unions of types. */
        readonly elements: readonly string[];
      }
    | { readonly form: 'alias' | 'other'; readonly type: string }
  );

/** A constant or variable. */
export type GoValue = Common & {
  readonly kind: 'constant' | 'variable';
  /** Null where neither the declaration nor a literal says it. */
  readonly type: string | null;
  readonly isTyped: boolean;
  readonly value: string;
};

/** Something that a package declares. */
export type GoDeclaration = GoFunction | GoType | GoValue;

/** A source as it is read. */
export type GoFile = {
  readonly file: string;
  readonly package: string;
  readonly condition: string;
  readonly declarations: readonly GoDeclaration[];
};
