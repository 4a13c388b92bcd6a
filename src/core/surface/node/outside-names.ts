import ts from 'typescript';

/** Names that declaration files take from outside of the package, by specifier; each with the names below it. */
export type OutsideNames = Map<string, Map<string, Set<string>>>;

/** Global names that only the declarations of an environment bring, such as those of Node.js, and what is below them. */
const globalRoots = ['Buffer', 'BufferEncoding', 'NodeJS', 'JSX', 'React', 'Express', 'Bun', 'Deno', 'Electron'];
const globalUse = new RegExp(`(?<![.\\w$])(${globalRoots.join('|')})\\b(?:\\.([A-Z]\\w*))?`, 'g');

/** Adds what a file takes from specifiers that lead out of the package. */
export function collectOutsideNames(
  file: ts.SourceFile,
  isOutside: (specifier: string) => boolean,
  into: OutsideNames,
) {
  const spaces = new Map<string, string>();
  for (const statement of file.statements) collectStatement(statement, { isOutside, into, spaces });
  const names = [...spaces.keys()].map((name) => name.replace(/\$/g, '\\$'));
  // `space.Name` for an imported namespace; `import('specifier').Name` anywhere.
  if (names.length > 0)
    for (const [, space = '', name = ''] of file.text.matchAll(
      new RegExp(`(?<![.\\w$])(${names.join('|')})\\s*\\.\\s*([A-Za-z_$][\\w$]*(?:\\.[A-Z]\\w*)*)`, 'g'),
    ))
      addName(into, spaces.get(space) ?? '', name);
  for (const [, specifier = '', name] of file.text.matchAll(
    /\bimport\(\s*["']([^"']+)["'][^)]*\)(?:\s*\.\s*([A-Za-z_$][\w$]*(?:\.[A-Z]\w*)*))?/g,
  ))
    if (isOutside(specifier)) addName(into, specifier, name ?? '');
}

type Collecting = {
  readonly isOutside: (specifier: string) => boolean;
  readonly into: OutsideNames;
  /** Local names that stand for a whole module, or for something that may have names below it. */
  readonly spaces: Map<string, string>;
};

function collectStatement(statement: ts.Statement, { isOutside, into, spaces }: Collecting): void {
  const specifier = specifierOf(statement);
  if (specifier === null || !isOutside(specifier)) return;
  addName(into, specifier, '');
  if (ts.isImportDeclaration(statement)) {
    const { importClause } = statement;
    if (importClause?.name !== undefined) {
      addName(into, specifier, 'default');
      spaces.set(importClause.name.text, `${specifier}\0default`);
    }
    const bindings = importClause?.namedBindings;
    if (bindings !== undefined && ts.isNamespaceImport(bindings)) spaces.set(bindings.name.text, specifier);
    else
      for (const { name, propertyName } of bindings?.elements ?? []) {
        addName(into, specifier, (propertyName ?? name).text);
        spaces.set(name.text, `${specifier}\0${(propertyName ?? name).text}`);
      }
  } else if (ts.isImportEqualsDeclaration(statement)) spaces.set(statement.name.text, specifier);
  else if (ts.isExportDeclaration(statement) && statement.exportClause !== undefined)
    if (ts.isNamedExports(statement.exportClause))
      for (const { name, propertyName } of statement.exportClause.elements)
        addName(into, specifier, (propertyName ?? name).text);
}

function specifierOf(statement: ts.Statement): string | null {
  const node =
    ts.isImportDeclaration(statement) || ts.isExportDeclaration(statement)
      ? statement.moduleSpecifier
      : ts.isImportEqualsDeclaration(statement) && ts.isExternalModuleReference(statement.moduleReference)
        ? statement.moduleReference.expression
        : undefined;
  return node !== undefined && ts.isStringLiteralLike(node) ? node.text : null;
}

function addName(into: OutsideNames, place: string, path: string): void {
  const [specifier = '', parent] = place.split('\0');
  const names = into.get(specifier) ?? new Map<string, Set<string>>();
  into.set(specifier, names);
  const [first = '', second] = [...(parent === undefined ? [] : [parent]), ...path.split('.')].filter(
    (part) => part !== '',
  );
  if (first === '' || !/^[\w$]+$/.test(first)) return;
  const below = names.get(first) ?? new Set<string>();
  names.set(first, below);
  if (second !== undefined && /^[\w$]+$/.test(second)) below.add(second);
}

/** Global names of an environment that a text uses. */
export function collectGlobals(text: string, into: Map<string, Set<string>>): void {
  for (const [, root = '', below] of text.matchAll(globalUse)) {
    const names = into.get(root) ?? new Set<string>();
    into.set(root, names);
    if (below !== undefined) names.add(below);
  }
}

/** Mark of a type whose declaration is not at hand, in its name. */
export const opaqueMark = '__outside_';

/**
 * Declarations for a module outside of the package: each name is a type that equals only itself, so that a comparison neither
 * takes it for anything nor for everything.
 */
export function outsideModule(names: ReadonlyMap<string, ReadonlySet<string>>): string {
  return [...names].map(([name, below]) => opaque(name, below, 'export ')).join('\n') || 'export {};';
}

/** The same for global names. */
export function outsideGlobals(names: ReadonlyMap<string, ReadonlySet<string>>): string {
  return [...names].map(([name, below]) => opaque(name, below, 'declare ')).join('\n');
}

const parameters = Array.from({ length: 8 }, (_, index) => `T${index} = any`).join(', ');
const uses = Array.from({ length: 8 }, (_, index) => `T${index}`).join(', ');

/** A class: usable as a type with up to eight arguments, as a base, as a value, and as a namespace. */
function opaque(name: string, below: ReadonlySet<string>, start: string): string {
  const body = `<${parameters}> { private ${opaqueMark}: (value: [${uses}]) => [${uses}]; constructor(...values: any[]); }`;
  const space = (owner: string) =>
    below.size === 0
      ? ''
      : ` ${start}namespace ${owner} { ${[...below].map((inner) => `class ${inner}${body}`).join(' ')} }`;
  if (name !== 'default') return `${start}class ${name}${body}${space(name)}`;
  return `declare class Default${body}${space('Default').replace('export namespace', 'declare namespace')} export default Default;`;
}
