import ts from 'typescript';
import type { SurfacePlace } from '../surface.ts';
import { isInternal } from './blank-private.ts';
import type { DeclarationProgram } from './declaration-program.ts';
import { opaqueMark } from './outside-names.ts';
import { isPublicExport } from './public-name.ts';

/** What a name stands for, through re-exports; null where it leads out of the package to nothing that is known. */
export function targetOf({ checker }: DeclarationProgram, symbol: ts.Symbol): ts.Symbol | null {
  if ((symbol.flags & ts.SymbolFlags.Alias) === 0) return symbol;
  const target = checker.getAliasedSymbol(symbol);
  return (checker as ts.TypeChecker & { isUnknownSymbol(symbol: ts.Symbol): boolean }).isUnknownSymbol(target)
    ? null
    : target;
}

/** The names that a module exports to its users, without those that are marked as private. */
export function publicExports(program: DeclarationProgram, module: ts.Symbol): Map<string, ts.Symbol> {
  const exported = program.checker.getExportsOfModule(module);
  return new Map(
    exported
      .filter((symbol) => isPublicName(symbol.name) && symbol.name !== 'prototype' && !isMarkedInternal(symbol))
      .map((symbol) => [symbol.name, symbol]),
  );
}

/** Whether a name, as the compiler keeps it, is public by habit. A property named by a symbol is. */
export function isPublicName(name: string): boolean {
  if (name.startsWith('__@')) return true;
  return isPublicExport(ts.unescapeLeadingUnderscores(name as ts.__String)) && !name.includes(opaqueMark);
}

function isMarkedInternal(symbol: ts.Symbol): boolean {
  const declarations = symbol.declarations ?? [];
  return (
    declarations.length > 0 &&
    declarations.every((declaration) => isInternal(statementOf(declaration), declaration.getSourceFile()))
  );
}

/** The comment of a variable stands before its statement. */
function statementOf(node: ts.Node): ts.Node {
  return ts.isVariableDeclaration(node) ? node.parent.parent : node;
}

/** Where a symbol is declared in the package; null for one from outside. */
export function placeOf(program: DeclarationProgram, symbol: ts.Symbol | undefined): SurfacePlace | null {
  for (const declaration of symbol?.declarations ?? []) {
    const file = declaration.getSourceFile();
    if (program.sideOf(file) === null) continue;
    const name = ts.getNameOfDeclaration(declaration) ?? declaration;
    return { file: program.pathOf(file), line: file.getLineAndCharacterOfPosition(name.getStart(file)).line + 1 };
  }
  return null;
}

/** Whether a symbol is declared in one of the trees. */
export function isInside(program: DeclarationProgram, symbol: ts.Symbol | undefined): boolean {
  return placeOf(program, symbol) !== null;
}

/** A name as it is written, that of a property named by a symbol too. */
export function shownName(symbol: ts.Symbol): string {
  const name = ts.unescapeLeadingUnderscores(symbol.name as ts.__String);
  return /^__@(.+?)(?:@\d+)?$/.test(name) ? `[${/^__@(.+?)(?:@\d+)?$/.exec(name)?.[1]}]` : name;
}

/** What sort of thing a symbol is, in the words of the language. */
export function kindOf({ flags }: ts.Symbol): string {
  const kinds: readonly (readonly [number, string])[] = [
    [ts.SymbolFlags.Class, 'class'],
    [ts.SymbolFlags.Enum, 'enum'],
    [ts.SymbolFlags.Function, 'function'],
    [ts.SymbolFlags.Variable, 'variable'],
    [ts.SymbolFlags.Interface, 'interface'],
    [ts.SymbolFlags.TypeAlias, 'type'],
    [ts.SymbolFlags.Namespace, 'namespace'],
    [ts.SymbolFlags.Method, 'method'],
    [ts.SymbolFlags.EnumMember, 'enum member'],
    [ts.SymbolFlags.Accessor | ts.SymbolFlags.Property, 'property'],
  ];
  return kinds.find(([flag]) => (flags & flag) !== 0)?.[1] ?? 'name';
}

const format = ts.TypeFormatFlags.UseAliasDefinedOutsideCurrentScope | ts.TypeFormatFlags.InTypeAlias;

/** What a symbol is, in one line, as people write it; cut where it is long. */
export function signatureOf(program: DeclarationProgram, symbol: ts.Symbol, name = shownName(symbol)): string {
  const { checker } = program;
  const { flags } = symbol;
  if ((flags & ts.SymbolFlags.Class) !== 0) return `class ${name}${typeParametersOf(program, symbol)}`;
  if ((flags & ts.SymbolFlags.Enum) !== 0) return `enum ${name}`;
  if ((flags & ts.SymbolFlags.EnumMember) !== 0) return `${name} = ${enumValue(checker, symbol)}`;
  if ((flags & ts.SymbolFlags.Value & ~ts.SymbolFlags.ValueModule) !== 0)
    return valueText(
      program,
      (flags & ts.SymbolFlags.Optional) !== 0 ? `${name}?` : name,
      checker.getTypeOfSymbol(symbol),
    );
  if ((flags & ts.SymbolFlags.Interface) !== 0) return `interface ${name}${typeParametersOf(program, symbol)}`;
  if ((flags & ts.SymbolFlags.TypeAlias) !== 0)
    return `type ${name}${typeParametersOf(program, symbol)} = ${typeText(program, checker.getDeclaredTypeOfSymbol(symbol))}`;
  return `namespace ${name}`;
}

/** A value with its type: `height(port: string): number`. */
function valueText(program: DeclarationProgram, name: string, type: ts.Type): string {
  const signatures = type.getCallSignatures();
  if (signatures.length === 0 || type.getProperties().length > 0) return clean(`${name}: ${typeText(program, type)}`);
  const texts = signatures.slice(0, 4).map((signature) => signatureText(program, name, signature));
  return texts.join('; ') + (signatures.length > 4 ? `; … ${signatures.length - 4} more` : '');
}

/** One signature with a name before it. */
export function signatureText({ checker }: DeclarationProgram, name: string, signature: ts.Signature): string {
  return (
    name + clean(checker.signatureToString(signature, undefined, ts.TypeFormatFlags.UseAliasDefinedOutsideCurrentScope))
  );
}

/** A type as people write it; cut where it is long. */
function typeText({ checker }: DeclarationProgram, type: ts.Type): string {
  return clean(checker.typeToString(type, undefined, format));
}

/** Types are shown by name, not by the file that they are in; that something optional may be undefined goes without saying. */
function clean(text: string): string {
  return text
    .replace(/import\("[^"]*"\)\./g, '')
    .replace(/\s+/g, ' ')
    .replace(/<any(?:, any){7}>/g, '')
    .replace(/(\?: [^,;:(){}]+?) \| undefined(?=[,;)\s}]|$)/g, '$1');
}

function enumValue(checker: ts.TypeChecker, symbol: ts.Symbol): string {
  const declaration = symbol.valueDeclaration;
  const value =
    declaration !== undefined && ts.isEnumMember(declaration) ? checker.getConstantValue(declaration) : undefined;
  return value === undefined ? '?' : JSON.stringify(value);
}

function typeParametersOf(program: DeclarationProgram, symbol: ts.Symbol): string {
  const names = declaredParameters(program, symbol).map((parameter) => parameter.symbol.name);
  return names.length === 0 ? '' : `<${names.join(', ')}>`;
}

/** The type parameters of a class, interface or alias. */
export function declaredParameters({ checker }: DeclarationProgram, symbol: ts.Symbol): readonly ts.TypeParameter[] {
  const inner = checker as ts.TypeChecker & {
    getLocalTypeParametersOfClassOrInterfaceOrTypeAlias(symbol: ts.Symbol): readonly ts.TypeParameter[] | undefined;
  };
  const flags = ts.SymbolFlags.Class | ts.SymbolFlags.Interface | ts.SymbolFlags.TypeAlias;
  return (symbol.flags & flags) === 0 ? [] : (inner.getLocalTypeParametersOfClassOrInterfaceOrTypeAlias(symbol) ?? []);
}
