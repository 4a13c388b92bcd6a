import { compareHeadings, type VersionHeading } from './headings.ts';

/** Whether a line only gives a label its address. */
export function isLinkLine(line: string): boolean {
  return /^\[[^\]]+\]:\s*\S+/.test(line) || /^\.\. _[^:]+:\s*\S+/.test(line);
}

/** The first line of the links at the end. */
export function linkBlock(lines: readonly string[]): number {
  let at = lines.length;
  while (at > 0 && ((lines[at - 1] ?? '').trim() === '' || isLinkLine(lines[at - 1] ?? ''))) at--;
  return lines.slice(at).some(isLinkLine) ? at : lines.length;
}

/** Adds the link line of a version, and moves that of what is not released yet (CommonMark 0.31 §4.7). */
export function withLinkLines(
  lines: readonly string[],
  { versions, version }: { readonly versions: readonly VersionHeading[]; readonly version: string },
): string[] {
  const sorted = versions.toSorted((a, b) => compareHeadings(b.version, a.version));
  const [last, older] = [sorted[0]?.version, sorted[1]?.version];
  const at =
    last === undefined ? -1 : lines.findIndex((line) => linkLabel(line) === last || linkLabel(line) === `v${last}`);
  const open = lines.findIndex((line) => /^\[unreleased\]:/i.test(line));
  const next = [...lines];
  if (open !== -1 && last !== undefined) next[open] = replaceVersions(lines[open] ?? '', [[last, version]]);
  if (at !== -1 && last !== undefined) {
    const added = replaceVersions(lines[at] ?? '', [
      [last, version],
      ...(older === undefined ? [] : [[older, last] as const]),
    ]);
    // The first release has nothing to compare with; the line of what comes next shows how.
    const isFirst = older === undefined && open !== -1 && /\bHEAD\b/.test(lines[open] ?? '');
    const label = (lines[at] ?? '').slice(0, (lines[at] ?? '').indexOf(':') + 1);
    const tag = /([^/\s]*?)\.{2,3}HEAD/.exec(lines[open] ?? '')?.[1] ?? '';
    const compared = isFirst
      ? `${replaceVersions(label, [[last, version]])}${(lines[open] ?? '').replace(/^\[[^\]]+\]:/, '').replace(/\bHEAD\b/, tag.replace(last ?? '', version))}`
      : added;
    next.splice(isDescending(lines, at) ? at : at + 1, 0, compared);
  }
  return next;
}

/** Whether the link lines are ordered like a file with the newest on top. */
function isDescending(lines: readonly string[], at: number): boolean {
  const [own, below] = [linkLabel(lines[at] ?? ''), linkLabel(lines[at + 1] ?? '')];
  const above = linkLabel(lines[at - 1] ?? '');
  if (own === null) return true;
  if (below !== null && /\d/.test(below)) return compareHeadings(below.replace(/^v/, ''), own.replace(/^v/, '')) < 0;
  return above === null || !/\d/.test(above) || compareHeadings(above.replace(/^v/, ''), own.replace(/^v/, '')) > 0;
}

function linkLabel(line: string): string | null {
  return /^\[([^\]]+)\]:/.exec(line)?.[1] ?? null;
}

/** Replaces versions by others, all at once. A prerelease of a version is another one. */
export function replaceVersions(text: string, pairs: readonly (readonly [from: string, to: string])[]): string {
  const known = new Map(pairs);
  const froms = [...known.keys()].map((from) => from.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  const pattern = new RegExp(`(?<![\\d.])(?:${froms.join('|')})(?!\\d|\\.\\d|-[0-9A-Za-z])`, 'g');
  return text.replace(pattern, (from) => known.get(from) ?? from);
}
