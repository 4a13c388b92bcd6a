import ts from 'typescript';

/** What a TypeScript declaration file declares. */
export type DeclarationFacts = {
  /** Names that exist at run time: functions, classes, constants, enums, namespaces. */
  readonly values: readonly string[];
  /** Names that exist for the type checker only. */
  readonly types: readonly string[];
  /** Names handed on from another file: as called here, and as called there. */
  readonly handedOn: readonly { readonly name: string; readonly original: string; readonly from: string }[];
  /** Files all of whose names are handed on. */
  readonly from: readonly string[];
  /** `export =`: what is exported is one value, whose members a reader cannot list. */
  readonly isOneValue: boolean;
  readonly uses: readonly { readonly specifier: string; readonly line: number }[];
};

/** Reads a declaration file without resolving anything (TypeScript handbook, "Modules .d.ts"). */
export function readDeclarations(text: string): DeclarationFacts {
  const file = ts.createSourceFile('declarations.d.ts', text, ts.ScriptTarget.Latest, false, ts.ScriptKind.TS);
  const reading: Reading = {
    file,
    // In a module that only declares, everything at the top is exported unless an `export {…}` says otherwise.
    isExplicit: file.statements.some(
      (statement) => ts.isExportDeclaration(statement) || ts.isExportAssignment(statement),
    ),
    hasExported: file.statements.some(isExportedStatement),
    values: new Set(),
    types: new Set(),
    from: new Set(),
    handedOn: [],
    locals: new Map(),
    imported: new Map(),
    later: [],
    uses: [],
  };
  for (const statement of file.statements) readStatement(reading, statement);
  for (const item of reading.later) settleLater(reading, item);
  for (const { fileName, pos } of file.referencedFiles)
    if (/^\.{1,2}\//.test(fileName)) reading.uses.push({ specifier: fileName, line: lineAt(file, pos) });
  return {
    values: [...reading.values],
    types: [...reading.types].filter((name) => !reading.values.has(name)),
    handedOn: reading.handedOn,
    from: [...reading.from],
    isOneValue: file.statements.some(
      (statement) => ts.isExportAssignment(statement) && statement.isExportEquals === true,
    ),
    uses: reading.uses,
  };
}

/** What is known of a file while its statements are read. */
type Reading = {
  readonly file: ts.SourceFile;
  readonly isExplicit: boolean;
  readonly hasExported: boolean;
  readonly values: Set<string>;
  readonly types: Set<string>;
  readonly from: Set<string>;
  readonly handedOn: DeclarationFacts['handedOn'][number][];
  /** Names declared here, and whether each is a value. */
  readonly locals: Map<string, boolean>;
  readonly imported: Map<string, { readonly original: string; readonly from: string; readonly isType: boolean }>;
  /** Exported by a name that may be declared or imported further down. */
  readonly later: { readonly name: string; readonly local: string }[];
  readonly uses: { readonly specifier: string; readonly line: number }[];
};

function lineAt(file: ts.SourceFile, position: number): number {
  return file.getLineAndCharacterOfPosition(position).line + 1;
}

function readStatement(reading: Reading, statement: ts.Statement): void {
  if (ts.isImportDeclaration(statement)) readImport(reading, statement);
  else if (ts.isExportDeclaration(statement)) readExport(reading, statement);
  else if (ts.isExportAssignment(statement)) {
    if (statement.isExportEquals !== true) reading.values.add('default');
  } else readDeclaration(reading, statement);
}

function use({ file, uses }: Reading, node: ts.Expression | undefined): string | null {
  if (node === undefined || !ts.isStringLiteral(node)) return null;
  uses.push({ specifier: node.text, line: lineAt(file, node.getStart(file)) });
  return node.text;
}

function readImport(reading: Reading, { moduleSpecifier, importClause }: ts.ImportDeclaration): void {
  const from = use(reading, moduleSpecifier);
  if (from === null || importClause === undefined) return;
  const isType = importClause.isTypeOnly;
  const add = (name: string, original: string, ownType = false) =>
    reading.imported.set(name, { original, from, isType: isType || ownType });
  if (importClause.name !== undefined) add(importClause.name.text, 'default');
  const named = importClause.namedBindings;
  if (named === undefined) return;
  if (ts.isNamespaceImport(named)) add(named.name.text, '*');
  else
    for (const element of named.elements)
      add(element.name.text, (element.propertyName ?? element.name).text, element.isTypeOnly);
}

function readExport(reading: Reading, statement: ts.ExportDeclaration): void {
  const { exportClause, isTypeOnly, moduleSpecifier } = statement;
  const from = use(reading, moduleSpecifier);
  if (exportClause === undefined) {
    if (from !== null && !isTypeOnly) reading.from.add(from);
    return;
  }
  if (ts.isNamespaceExport(exportClause)) {
    (isTypeOnly ? reading.types : reading.values).add(exportClause.name.text);
    return;
  }
  for (const { name, propertyName, isTypeOnly: isOwnType } of exportClause.elements) {
    const original = (propertyName ?? name).text;
    if (isTypeOnly || isOwnType) reading.types.add(name.text);
    else if (from !== null) reading.handedOn.push({ name: name.text, original, from });
    else reading.later.push({ name: name.text, local: original });
  }
}

function readDeclaration({ isExplicit, hasExported, locals, values, types }: Reading, statement: ts.Statement): void {
  const modifiers = ts.canHaveModifiers(statement) ? (ts.getModifiers(statement) ?? []) : [];
  const has = (kind: ts.SyntaxKind) => modifiers.some((modifier) => modifier.kind === kind);
  const isExported = has(ts.SyntaxKind.ExportKeyword);
  for (const { name, isValue } of declared(statement)) {
    locals.set(name, locals.get(name) === true || isValue);
    if (!isExported && (isExplicit || !hasExported)) continue;
    (isValue ? values : types).add(has(ts.SyntaxKind.DefaultKeyword) ? 'default' : name);
  }
}

function settleLater(
  { imported, handedOn, locals, values, types }: Reading,
  { name, local }: Reading['later'][number],
) {
  const other = imported.get(local);
  if (other !== undefined && other.original !== '*' && !other.isType)
    handedOn.push({ name, original: other.original, from: other.from });
  else if (other?.original === '*' && !other.isType) values.add(name);
  else (locals.get(local) === true ? values : types).add(name);
}

function isExportedStatement(statement: ts.Statement): boolean {
  const modifiers = ts.canHaveModifiers(statement) ? ts.getModifiers(statement) : undefined;
  return modifiers?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword) === true;
}

/** Names that a statement declares. */
function declared(statement: ts.Statement): { name: string; isValue: boolean }[] {
  if (ts.isVariableStatement(statement))
    return statement.declarationList.declarations.flatMap((declaration) =>
      ts.isIdentifier(declaration.name) ? [{ name: declaration.name.text, isValue: true }] : [],
    );
  if (ts.isFunctionDeclaration(statement) || ts.isClassDeclaration(statement))
    return [{ name: statement.name?.text ?? 'default', isValue: true }];
  if (ts.isEnumDeclaration(statement)) {
    // A `const enum` is written into its users and leaves nothing behind.
    const isConst = ts.getModifiers(statement)?.some(({ kind }) => kind === ts.SyntaxKind.ConstKeyword) === true;
    return [{ name: statement.name.text, isValue: !isConst }];
  }
  if (ts.isModuleDeclaration(statement) && ts.isIdentifier(statement.name))
    return [{ name: statement.name.text, isValue: hasValues(statement) }];
  if (ts.isInterfaceDeclaration(statement) || ts.isTypeAliasDeclaration(statement))
    return [{ name: statement.name.text, isValue: false }];
  return [];
}

function hasValues({ body }: ts.ModuleDeclaration): boolean {
  if (body === undefined || !ts.isModuleBlock(body))
    return body !== undefined && ts.isModuleDeclaration(body) && hasValues(body);
  return body.statements.some((statement) => declared(statement).some(({ isValue }) => isValue));
}
