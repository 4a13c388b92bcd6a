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
    if (imported.includes('*') || imported.trim().endsWith('(')) hasStar = true;
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
