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
  const found = { values: new Set<string>(), types: new Set<string>(), from: new Set<string>() };
  const handedOn: DeclarationFacts['handedOn'][number][] = [];
  const locals = new Map<string, boolean>();
  const imported = new Map<string, { original: string; from: string; isType: boolean }>();
  const later: { name: string; local: string; isType: boolean }[] = [];
  const uses: { specifier: string; line: number }[] = [];
  let isOneValue = false;
  // In a module that only declares, everything at the top is exported unless an `export {…}` says otherwise.
  const isExplicit = file.statements.some((one) => ts.isExportDeclaration(one) || ts.isExportAssignment(one));
  const use = (node: ts.Expression | undefined) => {
    if (node === undefined || !ts.isStringLiteral(node)) return null;
    uses.push({ specifier: node.text, line: file.getLineAndCharacterOfPosition(node.getStart(file)).line + 1 });
    return node.text;
  };
  for (const statement of file.statements) {
    if (ts.isImportDeclaration(statement)) {
      const from = use(statement.moduleSpecifier);
      const clause = statement.importClause;
      if (from === null || clause === undefined) continue;
      const isType = clause.isTypeOnly;
      if (clause.name !== undefined) imported.set(clause.name.text, { original: 'default', from, isType });
      const named = clause.namedBindings;
      if (named !== undefined && ts.isNamespaceImport(named))
        imported.set(named.name.text, { original: '*', from, isType });
      if (named !== undefined && ts.isNamedImports(named))
        for (const one of named.elements)
          imported.set(one.name.text, {
            original: (one.propertyName ?? one.name).text,
            from,
            isType: isType || one.isTypeOnly,
          });
    } else if (ts.isExportDeclaration(statement)) {
      const from = use(statement.moduleSpecifier);
      const clause = statement.exportClause;
      if (clause === undefined) {
        if (from !== null && !statement.isTypeOnly) found.from.add(from);
      } else if (ts.isNamespaceExport(clause)) {
        (statement.isTypeOnly ? found.types : found.values).add(clause.name.text);
      } else {
        for (const one of clause.elements) {
          const isType = statement.isTypeOnly || one.isTypeOnly;
          const original = (one.propertyName ?? one.name).text;
          if (isType) found.types.add(one.name.text);
          else if (from !== null) handedOn.push({ name: one.name.text, original, from });
          else later.push({ name: one.name.text, local: original, isType });
        }
      }
    } else if (ts.isExportAssignment(statement)) {
      if (statement.isExportEquals === true) isOneValue = true;
      else found.values.add('default');
    } else {
      const modifiers = ts.canHaveModifiers(statement) ? (ts.getModifiers(statement) ?? []) : [];
      const has = (kind: ts.SyntaxKind) => modifiers.some((one) => one.kind === kind);
      const isExported = has(ts.SyntaxKind.ExportKeyword);
      for (const { name, isValue } of declared(statement)) {
        locals.set(name, locals.get(name) === true || isValue);
        if (!isExported && isExplicit) continue;
        if (!isExported && !file.statements.some(isExportedStatement)) continue;
        const shown = has(ts.SyntaxKind.DefaultKeyword) ? 'default' : name;
        if (isExported || !isExplicit) (isValue ? found.values : found.types).add(shown);
      }
    }
  }
  for (const { name, local } of later) {
    const other = imported.get(local);
    if (other !== undefined && other.original !== '*' && !other.isType)
      handedOn.push({ name, original: other.original, from: other.from });
    else if (other?.original === '*' && !other.isType) found.values.add(name);
    else (locals.get(local) === true ? found.values : found.types).add(name);
  }
  for (const { fileName, pos } of file.referencedFiles)
    if (/^\.{1,2}\//.test(fileName))
      uses.push({ specifier: fileName, line: file.getLineAndCharacterOfPosition(pos).line + 1 });
  return {
    values: [...found.values],
    types: [...found.types].filter((name) => !found.values.has(name)),
    handedOn,
    from: [...found.from],
    isOneValue,
    uses,
  };
}

function isExportedStatement(statement: ts.Statement): boolean {
  const modifiers = ts.canHaveModifiers(statement) ? ts.getModifiers(statement) : undefined;
  return modifiers?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword) === true;
}

/** Names that a statement declares. */
function declared(statement: ts.Statement): { name: string; isValue: boolean }[] {
  if (ts.isVariableStatement(statement))
    return statement.declarationList.declarations.flatMap((one) =>
      ts.isIdentifier(one.name) ? [{ name: one.name.text, isValue: true }] : [],
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
  return body.statements.some((one) => declared(one).some(({ isValue }) => isValue));
}
