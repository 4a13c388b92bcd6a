/** A module that Python code needs as soon as it is imported. */
export type PythonImport = { readonly module: string; readonly line: number };

/**
 * Modules that a Python file imports at its top level and absolutely, by their first name. Imports inside functions, classes,
 * `try` and `if` are left out: they may be meant not to be there.
 */
export function readPythonImports(text: string): PythonImport[] {
  const found: PythonImport[] = [];
  for (const { line, statement } of topLevelLines(text)) {
    const from = /^from[ \t]+([A-Za-z_]\w*)[\w.]*[ \t]+import\b/.exec(statement);
    if (from?.[1] !== undefined) found.push({ module: from[1], line });
    const plain = /^import[ \t]+(.+)$/.exec(statement);
    for (const part of plain?.[1]?.split(',') ?? []) {
      const module = /^\s*([A-Za-z_]\w*)/.exec(part)?.[1];
      if (module !== undefined) found.push({ module, line });
    }
  }
  return found;
}

/** An import of a part of the package itself, or of what may be one. */
export type OwnImport = {
  /** Dots before the name: 0 for an absolute import. */
  readonly level: number;
  /** Dotted; '' for `from . import …`. */
  readonly module: string;
  /** Names that are taken from it, as far as they stand in the same line; null for `import a.b`. */
  readonly names: readonly string[] | null;
  readonly line: number;
};

/** Imports at the top level with all that they name; those inside `try`, `if`, functions and classes are left out. */
export function readOwnImports(text: string): OwnImport[] {
  return topLevelLines(text).flatMap(({ line, statement }): OwnImport[] => {
    const from = /^from[ \t]+(\.*)([\w.]*)[ \t]+import[ \t]+(.*)$/.exec(statement);
    if (from !== null) {
      const names = (from[3] ?? '')
        .replace(/[()\\;]/g, '')
        .split(',')
        .map((part) => /^\s*(\w+)/.exec(part)?.[1] ?? '');
      return [{ level: from[1]?.length ?? 0, module: from[2] ?? '', names: names.filter(Boolean), line }];
    }
    const parts = /^import[ \t]+([^;]+)/.exec(statement)?.[1]?.split(',') ?? [];
    return parts.flatMap((part) => {
      const module = /^\s*([A-Za-z_][\w.]*)/.exec(part)?.[1];
      return module === undefined ? [] : [{ level: 0, module, names: null, line }];
    });
  });
}

/** Whether a module has to do with how modules are found and loaded. */
export function hasImportHooks(text: string): boolean {
  return /\bsys\.(?:modules|meta_path|path_hooks)\b|\b__path__\b|\bimportlib\b|\b__import__\b|\bglobals\(\)/.test(text);
}

/** Names that a module binds at its top level, as far as they can be read: functions, classes, assignments, imports. */
export function readPythonNames(text: string): { readonly names: ReadonlySet<string>; readonly hasStar: boolean } {
  const names = new Set<string>();
  let hasStar = false;
  for (const { statement } of topLevelLines(text, true)) {
    const defined = /^\s*(?:async[ \t]+def|def|class)[ \t]+([A-Za-z_]\w*)/.exec(statement)?.[1];
    const assigned = /^\s*([A-Za-z_]\w*)[ \t]*(?::[^=]+)?=(?!=)/.exec(statement)?.[1];
    for (const name of [defined, assigned]) if (name !== undefined) names.add(name);
    const imported = /^\s*(?:from[ \t]+[\w.]+[ \t]+)?import[ \t]+\(?(.+)$/.exec(statement)?.[1];
    if (imported === undefined) continue;
    // Names that follow in further lines are not read.
    if (imported.includes('*') || (statement.includes('(') && !statement.includes(')'))) hasStar = true;
    for (const part of imported.split(',')) {
      const name = /([A-Za-z_]\w*)[\s)]*$/.exec(part)?.[1];
      if (name !== undefined) names.add(name);
    }
  }
  return { names, hasStar };
}

/** Lines outside of strings, without comments; by default only those that are not indented. */
function topLevelLines(text: string, withIndented = false): { line: number; statement: string }[] {
  const lines: { line: number; statement: string }[] = [];
  let inString: string | null = null;
  for (const [index, raw] of text.split(/\r?\n/).entries()) {
    let rest = raw;
    let code = '';
    while (rest !== '') {
      if (inString !== null) {
        const end = rest.indexOf(inString);
        if (end === -1) break;
        rest = rest.slice(end + 3);
        inString = null;
        continue;
      }
      const next = /"""|'''|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|#/.exec(rest);
      code += next === null ? rest : rest.slice(0, next.index);
      if (next === null || next[0] === '#') break;
      rest = rest.slice(next.index + next[0].length);
      if (next[0] === '"""' || next[0] === "'''") inString = next[0];
      else code += '""';
    }
    if (code.trim() !== '' && (withIndented || !/^\s/.test(code))) lines.push({ line: index + 1, statement: code });
  }
  return lines;
}
