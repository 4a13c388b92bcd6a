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
  readonly getInstantiationCount: () => number;
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

/** How much types were instantiated by now: a measure of work that no clock is needed for. */
export function workDone(checker: ts.TypeChecker): number {
  return internalsOf(checker).getInstantiationCount();
}

/** Whether a type stands for one that could not be resolved. */
export function isErrorType(type: ts.Type): boolean {
  return (type as ts.Type & { readonly intrinsicName?: string }).intrinsicName === 'error';
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
