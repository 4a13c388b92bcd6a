import ts from 'typescript';

/** Words whose files need a closer look: most declaration files have none of them. */
const signs = /\bprivate\b|\bprotected\b|#[\w$]|@internal\b|\bunique\s+symbol\b/;

/**
 * A declaration file without what users cannot refer to: private members, and members marked `@internal`, are blanked out,
 * so that every position stays. `protected` goes too, since the checker would bind such members, like private ones, to one
 * declaration, and the two of a comparison are never the same. For the same reason a unique symbol becomes a text of its name.
 */
export function blankPrivate(text: string, fileName: string): string {
  if (!signs.test(text)) return text;
  const file = ts.createSourceFile(fileName, text, ts.ScriptTarget.Latest, false);
  const edits: { start: number; end: number; text: string }[] = [];
  const blank = (node: ts.Node) => edits.push({ start: node.getStart(file), end: node.end, text: '' });
  const visit = (node: ts.Node): void => {
    if (isHiddenMember(node, file)) return void blank(node);
    if (ts.canHaveModifiers(node))
      for (const modifier of ts.getModifiers(node) ?? [])
        if (modifier.kind === ts.SyntaxKind.ProtectedKeyword && !ts.isConstructorDeclaration(node)) blank(modifier);
    if (ts.isTypeOperatorNode(node) && node.operator === ts.SyntaxKind.UniqueKeyword)
      edits.push({ start: node.getStart(file), end: node.end, text: symbolText(node, file) });
    ts.forEachChild(node, visit);
  };
  ts.forEachChild(file, visit);
  return applied(text, edits);
}

function isHiddenMember(node: ts.Node, file: ts.SourceFile): boolean {
  if (!ts.isClassElement(node) && !ts.isTypeElement(node) && !ts.isEnumMember(node)) return false;
  if (node.name !== undefined && ts.isPrivateIdentifier(node.name)) return true;
  // A private constructor says something: no instance can be made. `private` hides it only from its own class's users.
  const modifiers = ts.canHaveModifiers(node) ? (ts.getModifiers(node) ?? []) : [];
  if (modifiers.some(({ kind }) => kind === ts.SyntaxKind.PrivateKeyword)) return !ts.isConstructorDeclaration(node);
  return isInternal(node, file);
}

/** Whether a comment before a node marks it `@internal`, as the compiler's `stripInternal` reads it. */
export function isInternal(node: ts.Node, file: ts.SourceFile): boolean {
  const before = file.text.slice(node.pos, node.getStart(file));
  // What stands on the line of the previous one belongs to that, unless all is on one line.
  const own = before.includes('\n') && node.pos > 0 ? before.slice(before.indexOf('\n')) : before;
  return /@internal\b/.test(own);
}

/** `'name'` in exactly the place of `unique symbol`; a long name is cut and ends in a hash of the whole. */
function symbolText(node: ts.TypeOperatorNode, file: ts.SourceFile): string {
  const space = node.end - node.getStart(file) - 2;
  const name = nameBefore(file.text, node.getStart(file));
  return `'${name.length <= space ? name : `${name.slice(0, space - 5)}${shortHash(name)}`}'`;
}

const nameBefore = (text: string, end: number) =>
  /([\w$]+)\s*[?!]?\s*:\s*$/.exec(text.slice(Math.max(0, end - 200), end))?.[1] ?? 'symbol';

/** Five characters from a text (FNV-1a, 32 bits). */
function shortHash(text: string): string {
  let hash = 0x811c9dc5;
  for (const character of text) hash = Math.imul(hash ^ (character.codePointAt(0) ?? 0), 0x01000193) >>> 0;
  return hash.toString(36).padStart(7, '0').slice(-5);
}

function applied(text: string, edits: readonly { start: number; end: number; text: string }[]): string {
  const parts: string[] = [];
  let at = 0;
  for (const edit of [...edits].sort((a, b) => a.start - b.start)) {
    if (edit.start < at) continue;
    const old = text.slice(edit.start, edit.end);
    parts.push(text.slice(at, edit.start), edit.text, old.slice(edit.text.length).replace(/[^\r\n]/g, ' '));
    at = edit.end;
  }
  return [...parts, text.slice(at)].join('');
}
