import { type Header, parseHeader } from './message-grammar.ts';

// Kinds that people write in squashed lists without their weighing anything.
const customary = new Set(['build', 'chore', 'ci', 'docs', 'style', 'refactor', 'perf', 'test', 'revert']);

/**
 * The changes that a squashed commit lists in its body: items at the left margin, or the indented subjects after git's
 * own "Squashed commit of the following:". They count only if at least two lines parse and each kind is known
 * (docs/design/versions.md, step 10).
 */
export function parseSquashBody(body: readonly string[], known: ReadonlySet<string>): Header[] {
  const start = body.findIndex((line) => line.trim() === 'Squashed commit of the following:');
  const candidates = start === -1 ? listItems(body) : squashedSubjects(body.slice(start + 1));
  const headers = candidates.map(parseHeader).filter((header) => header !== null);
  if (headers.length < 2) return [];
  return headers.every(({ kind }) => known.has(kind) || customary.has(kind)) ? headers : [];
}

function listItems(body: readonly string[]): string[] {
  return body.filter((line) => /^[*-] /.test(line)).map((line) => line.slice(2));
}

/** Of each `commit ID` block the first indented line after its empty line. */
function squashedSubjects(lines: readonly string[]): string[] {
  const subjects: string[] = [];
  let expecting = false;
  for (const line of lines) {
    if (/^commit [0-9a-f]{7,64}/.test(line)) expecting = true;
    else if (expecting && /^ {4}\S/.test(line)) {
      subjects.push(line.trim());
      expecting = false;
    }
  }
  return subjects;
}
