import ts from 'typescript';
import { isErrorType } from './checker-internals.ts';

export function pairKey(old: ts.Symbol, now: ts.Symbol): string {
  return `${symbolId(old)} ${symbolId(now)}`;
}

const ids = new WeakMap<ts.Symbol, number>();
let lastId = 0;

function symbolId(symbol: ts.Symbol): number {
  const known = ids.get(symbol) ?? ++lastId;
  ids.set(symbol, known);
  return known;
}

/** What a type parameter may stand for, as it is written. */
export function constraintNode({ symbol }: ts.TypeParameter): ts.TypeNode | undefined {
  const declaration = symbol?.declarations?.[0];
  return declaration !== undefined && ts.isTypeParameterDeclaration(declaration) ? declaration.constraint : undefined;
}

export const typeId = (type: ts.Type) => (type as ts.Type & { readonly id: number }).id;

export function isReference(type: ts.Type): boolean {
  const { objectFlags = 0 } = type as ts.ObjectType;
  return (
    (type.flags & ts.TypeFlags.Object) !== 0 &&
    (objectFlags & (ts.ObjectFlags.ClassOrInterface | ts.ObjectFlags.Reference)) !== 0 &&
    type.symbol !== undefined
  );
}

export function isGenericReference(type: ts.Type): type is ts.TypeReference {
  return ((type as ts.ObjectType).objectFlags & ts.ObjectFlags.Reference) !== 0;
}

export const isEnum = (symbol: ts.Symbol) => (symbol.flags & ts.SymbolFlags.Enum) !== 0;

export const isClass = (symbol: ts.Symbol) => (symbol.flags & ts.SymbolFlags.Class) !== 0;

export function isClassType(type: ts.Type): boolean {
  return type.symbol !== undefined && isClass(type.symbol);
}

/** The arguments of a generic type, or the elements of a tuple. */
export function typeArgumentsOf(checker: ts.TypeChecker, type: ts.Type): readonly ts.Type[] {
  return isGenericReference(type) ? checker.getTypeArguments(type) : [];
}

/** Which elements of a tuple may be missing, repeat, or have names; empty for another type. */
export function tupleShape(type: ts.Type): string {
  const target = (type as ts.TypeReference).target as ts.TupleType | undefined;
  return target?.elementFlags?.join(' ') ?? '';
}

/** Whether a type has members to look at; arrays, tuples, mapped and deferred types are the checker's. */
export function isComparable(checker: ts.TypeChecker, type: ts.Type): boolean {
  if (type.isIntersection()) return type.types.every((part) => isComparable(checker, part));
  if ((type.flags & ts.TypeFlags.Object) === 0) return false;
  if (checker.isArrayType(type) || checker.isTupleType(type) || hasMark(type.symbol)) return false;
  if (type.symbol !== undefined && isLibrary(type.symbol)) return false;
  const { objectFlags } = type as ts.ObjectType;
  const isWritten =
    (objectFlags & (ts.ObjectFlags.ClassOrInterface | ts.ObjectFlags.Reference | ts.ObjectFlags.Anonymous)) !== 0;
  return isWritten || type.getProperties().length > 0 || checker.getIndexInfosOfType(type).length > 0;
}

export function isLibrary(symbol: ts.Symbol): boolean {
  const file = symbol.declarations?.[0]?.getSourceFile().fileName;
  return file?.startsWith('/library/') === true;
}

/** Whether it is declared outside of the package and stands only for itself. */
export function hasMark(symbol: ts.Symbol | undefined): boolean {
  return symbol?.declarations?.some((node) => node.getSourceFile().fileName.startsWith('/outside/')) === true;
}

/** Whether what a type is depends on type arguments: the checker relates such types only where they are written alike. */
function isDeferred(type: ts.Type): boolean {
  const flags = ts.TypeFlags.Conditional | ts.TypeFlags.IndexedAccess | ts.TypeFlags.Index | ts.TypeFlags.Substitution;
  if ((type.flags & flags) !== 0) return true;
  const isMapped = ((type as ts.ObjectType).objectFlags & ts.ObjectFlags.Mapped) !== 0;
  return (type.flags & ts.TypeFlags.Object) !== 0 && isMapped && type.getProperties().length === 0;
}

export const partsOf = (type: ts.Type): readonly ts.Type[] => (type.isUnion() ? type.types : [type]);

function partsToLookAt(checker: ts.TypeChecker, type: ts.Type): ts.Type[] {
  const parts = [...(type.aliasTypeArguments ?? [])];
  if (type.isUnionOrIntersection()) return [...parts, ...type.types];
  if (type.flags & ts.TypeFlags.Conditional) {
    const { checkType, extendsType } = type as ts.ConditionalType;
    return [...parts, checkType, extendsType];
  }
  if (type.flags & ts.TypeFlags.IndexedAccess) {
    const { objectType, indexType } = type as ts.IndexedAccessType;
    return [...parts, objectType, indexType];
  }
  if (type.flags & ts.TypeFlags.Index) return [...parts, (type as ts.IndexType).type];
  if ((type.flags & ts.TypeFlags.Object) === 0) return parts;
  if (isGenericReference(type)) parts.push(...checker.getTypeArguments(type));
  // What has a name is compared where it is declared; only what is written in place is looked into.
  const isNamed =
    ((type as ts.ObjectType).objectFlags & (ts.ObjectFlags.ClassOrInterface | ts.ObjectFlags.Reference)) !== 0;
  if (isNamed || type.aliasSymbol !== undefined) return parts;
  const signatures = [...type.getCallSignatures(), ...type.getConstructSignatures()];
  return [
    ...parts,
    ...type
      .getProperties()
      .slice(0, maxMembers)
      .map((member) => checker.getTypeOfSymbol(member)),
    ...signatures.flatMap((signature) => [
      checker.getReturnTypeOfSignature(signature),
      ...signature.parameters.map((parameter) => checker.getTypeOfSymbol(parameter)),
    ]),
  ];
}

/** A member by name; one named by a symbol by that of the symbol, whose number differs between trees. */
export const memberKey = ({ name }: ts.Symbol) => name.replace(/^(__@.+)@\d+$/, '$1');

export function hasModifier(node: ts.Node, kind: ts.SyntaxKind): boolean {
  return ts.canHaveModifiers(node) && ts.getModifiers(node)?.some((modifier) => modifier.kind === kind) === true;
}

export function isReadonly(symbol: ts.Symbol): boolean {
  const declarations = symbol.declarations ?? [];
  if (declarations.some((node) => hasModifier(node, ts.SyntaxKind.ReadonlyKeyword))) return true;
  return declarations.some(ts.isGetAccessor) && !declarations.some(ts.isSetAccessor);
}

export function isMethod({ declaration }: ts.Signature): boolean {
  return declaration !== undefined && (ts.isMethodSignature(declaration) || ts.isMethodDeclaration(declaration));
}

/** 0 public, 1 protected, 2 private. */
export function constructorAccess(symbol: ts.Symbol): number {
  const constructors = (symbol.members?.get('__constructor' as ts.__String)?.declarations ?? []) as readonly ts.Node[];
  if (constructors.some((node) => hasModifier(node, ts.SyntaxKind.PrivateKeyword))) return 2;
  return constructors.some((node) => hasModifier(node, ts.SyntaxKind.ProtectedKeyword)) ? 1 : 0;
}

/** Whether a type has parts that the checker cannot know: from outside of the package, or depending on type arguments. */
export function isVague(checker: ts.TypeChecker, type: ts.Type): boolean {
  return hasPart(checker, type, (part) => isErrorType(part) || hasMark(part.symbol) || isDeferred(part));
}

/** The same for what a signature takes and gives. */
export function isVagueSignature(checker: ts.TypeChecker, signature: ts.Signature): boolean {
  const types = [
    checker.getReturnTypeOfSignature(signature),
    ...signature.parameters.map((parameter) => checker.getTypeOfSymbol(parameter)),
  ];
  return types.some((type) => isVague(checker, type));
}

/** Whether what a type is depends on type parameters. */
export function hasParameters(checker: ts.TypeChecker, type: ts.Type): boolean {
  return hasPart(checker, type, (part) => (part.flags & ts.TypeFlags.TypeParameter) !== 0 || isDeferred(part));
}

/** So many parts of a type are looked at. */
const maxParts = 300;
const maxMembers = 50;

function hasPart(checker: ts.TypeChecker, type: ts.Type, is: (part: ts.Type) => boolean): boolean {
  const waiting: ts.Type[] = [type];
  const seen = new Set<ts.Type>();
  for (let next = waiting.pop(); next !== undefined && seen.size < maxParts; next = waiting.pop()) {
    if (seen.has(next)) continue;
    seen.add(next);
    if (is(next)) return true;
    waiting.push(...partsToLookAt(checker, next));
  }
  return false;
}
