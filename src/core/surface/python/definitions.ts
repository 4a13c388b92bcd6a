/** A parameter as Python's own `inspect` tells them apart. */
export type PythonParameter = {
  readonly name: string;
  readonly kind: 'positional' | 'either' | 'rest' | 'keyword' | 'keywords';
  readonly type: string | null;
  /** Text of the default; null for one that callers must give. */
  readonly default: string | null;
};

/** How a function can be called. */
export type PythonSignature = { readonly parameters: readonly PythonParameter[]; readonly returns: string | null };

/** How a function of a class is reached; `plain` outside of classes. */
export type PythonBinding = 'plain' | 'method' | 'static' | 'class' | 'property';

/** A function or method. */
export type PythonFunction = {
  readonly type: 'function';
  readonly name: string;
  readonly line: number;
  /** More than one for overloads. */
  readonly signatures: readonly PythonSignature[];
  readonly isAsync: boolean;
  readonly binding: PythonBinding;
  readonly isAbstract: boolean;
  readonly isFinal: boolean;
  /** Whether a property can be set. */
  readonly isSettable: boolean;
  /** Decorators that may make something else of it. */
  readonly wrappers: readonly string[];
  /** Whether several branches define it in different ways. */
  readonly isUnsure: boolean;
};

/** A class. */
export type PythonClass = {
  readonly type: 'class';
  readonly name: string;
  readonly line: number;
  /** As they are written. */
  readonly bases: readonly string[];
  readonly members: ReadonlyMap<string, PythonDefinition>;
  readonly isFinal: boolean;
  readonly dataclass: { readonly isFrozen: boolean; readonly isKeywordOnly: boolean; readonly hasInit: boolean } | null;
  /** Whether it makes members when they are asked for. */
  readonly isDynamic: boolean;
  readonly isUnsure: boolean;
};

/** A variable, constant or attribute. */
export type PythonAttribute = {
  readonly type: 'attribute';
  readonly name: string;
  readonly line: number;
  readonly annotation: string | null;
  readonly value: string | null;
  readonly isUnsure: boolean;
};

/** Something that a module or class defines. */
export type PythonDefinition = PythonFunction | PythonClass | PythonAttribute;

/** A name that comes from another module: `from module import name`, or the module itself where `name` is null. */
export type PythonImport = {
  readonly module: string;
  readonly name: string | null;
  /** Whether it says that users may have it from here: `import X as X`, or anything of its own package in `__init__`. */
  readonly isOffered: boolean;
  readonly line: number;
};

/** A source as it is read. */
export type PythonModule = {
  readonly name: string;
  readonly file: string;
  readonly isStub: boolean;
  readonly isPackage: boolean;
  readonly definitions: ReadonlyMap<string, PythonDefinition>;
  readonly imports: ReadonlyMap<string, PythonImport>;
  /** Modules of `from module import *`. */
  readonly stars: readonly string[];
  /** What `__all__` lists; null without one. */
  readonly all: readonly string[] | null;
  /** Modules whose `__all__` it takes over. */
  readonly allFrom: readonly string[];
  /** Why its names are not all known; null where they are. */
  readonly whyDynamic: string | null;
};
