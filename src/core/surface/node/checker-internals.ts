import ts from 'typescript';

/**
 * Parts of the compiler's checker that its declarations leave out. A comparison needs signatures without a declaration: the
 * checker takes parameters of methods in both directions, and types of two generic declarations have different parameters.
 */
type Internals = {
  readonly createSignature: (
    declaration: undefined,
    typeParameters: readonly ts.TypeParameter[] | undefined,
    thisParameter: ts.Symbol | undefined,
    parameters: readonly ts.Symbol[],
    returnType: ts.Type,
    typePredicate: ts.TypePredicate | undefined,
    minArgumentCount: number,
    flags: number,
  ) => ts.Signature;
  readonly createAnonymousType: (
    symbol: undefined,
    members: ReadonlyMap<string, ts.Symbol>,
    callSignatures: readonly ts.Signature[],
    constructSignatures: readonly ts.Signature[],
    indexInfos: readonly ts.IndexInfo[],
  ) => ts.Type;
  readonly createSymbol: (flags: number, name: string) => ts.Symbol & { readonly links: { type: ts.Type } };
};

/** What `export =` exports; the module itself where it has none. */
export function wholeExport(checker: ts.TypeChecker, module: ts.Symbol): ts.Symbol {
  const inner = checker as ts.TypeChecker & { resolveExternalModuleSymbol(symbol: ts.Symbol): ts.Symbol };
  return inner.resolveExternalModuleSymbol(module);
}

type InnerSignature = ts.Signature & {
  readonly minArgumentCount: number;
  readonly flags: number;
  readonly thisParameter?: ts.Symbol;
};

const internalsOf = (checker: ts.TypeChecker) => checker as unknown as Internals;

type Allocator = { readonly getTypeConstructor: () => new (checker: ts.TypeChecker, flags: ts.TypeFlags) => ts.Type };

/**
 * A checker that calls `spend` for each type that it makes: types of others can keep it busy for hours, and it has no other limit.
 * What `spend` throws ends the question; the checker cannot be asked again then.
 */
export function countingChecker(program: ts.Program, spend: () => void): ts.TypeChecker {
  const inner = ts as typeof ts & {
    readonly objectAllocator: Allocator;
    readonly setObjectAllocator: (allocator: Allocator) => void;
  };
  const usual = { ...inner.objectAllocator };
  const Type = usual.getTypeConstructor();
  class CountedType extends Type {
    constructor(checker: ts.TypeChecker, flags: ts.TypeFlags) {
      super(checker, flags);
      spend();
    }
  }
  inner.setObjectAllocator({ ...usual, getTypeConstructor: () => CountedType });
  try {
    return program.getTypeChecker();
  } finally {
    inner.setObjectAllocator(usual);
  }
}

/** Whether a type stands for one that could not be resolved. */
export function isErrorType(type: ts.Type): boolean {
  return (type as ts.Type & { readonly intrinsicName?: string }).intrinsicName === 'error';
}

/** Whether a signature is one of a generic type with arguments put in: its declaration does not say them. */
export function isInstantiated(signature: ts.Signature): boolean {
  return (signature as ts.Signature & { readonly target?: ts.Signature }).target !== undefined;
}

/** How many arguments a call needs at least. */
export function minArguments(signature: ts.Signature): number {
  return (signature as InnerSignature).minArgumentCount;
}

/** Whether the last parameter takes all arguments that are left. */
export function hasRest(signature: ts.Signature): boolean {
  return ((signature as InnerSignature).flags & 1) !== 0;
}

/** Whether the signature is of an abstract class: no instance can be made by it. */
export function isAbstract(signature: ts.Signature): boolean {
  return ((signature as InnerSignature).flags & 4) !== 0;
}

/** The `this` parameter of a signature. */
export function thisParameterOf(signature: ts.Signature): ts.Symbol | undefined {
  return (signature as InnerSignature).thisParameter;
}

/** The type parameter that `this` has inside a class or interface. */
export function thisTypeOf(type: ts.Type): ts.TypeParameter | null {
  return (type as ts.Type & { readonly thisType?: ts.TypeParameter }).thisType ?? null;
}

/**
 * The type of a function that takes values of some type parameters and gives `type`: two such types are related like `type`
 * itself, with the parameters of one standing for those of the other.
 */
export function abstractedOver(
  checker: ts.TypeChecker,
  parameters: readonly ts.TypeParameter[],
  type: ts.Type,
): ts.Type {
  const inner = internalsOf(checker);
  const symbols = parameters.map((parameter, index) => parameterSymbol(checker, index, parameter));
  const signature = inner.createSignature(
    undefined,
    parameters,
    undefined,
    symbols,
    type,
    undefined,
    symbols.length,
    0,
  );
  return inner.createAnonymousType(undefined, new Map(), [signature], [], []);
}

/** The type of a function with this signature alone, its parameters compared strictly, below some type parameters. */
export function signatureType(
  checker: ts.TypeChecker,
  parameters: readonly ts.TypeParameter[],
  signature: ts.Signature,
): ts.Type {
  const inner = internalsOf(checker);
  const own = signature as InnerSignature;
  const before = parameters.map((parameter, index) => parameterSymbol(checker, index, parameter));
  const typeParameters = [...parameters, ...(signature.typeParameters ?? [])];
  const copy = inner.createSignature(
    undefined,
    typeParameters.length === 0 ? undefined : typeParameters,
    own.thisParameter,
    [...before, ...signature.parameters],
    checker.getReturnTypeOfSignature(signature),
    checker.getTypePredicateOfSignature(signature),
    before.length + own.minArgumentCount,
    own.flags & ~4,
  );
  return inner.createAnonymousType(undefined, new Map(), [copy], [], []);
}

function parameterSymbol(checker: ts.TypeChecker, index: number, type: ts.Type): ts.Symbol {
  const symbol = internalsOf(checker).createSymbol(ts.SymbolFlags.FunctionScopedVariable, `of${index}`);
  symbol.links.type = type;
  return symbol;
}
