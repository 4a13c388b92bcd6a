import type { LockfileUpdate } from './own-entry.ts';
import { newerLockfile, pinnedEntry } from './problem.ts';

/**
 * `pnpm-lock.yaml`: the ranges that each folder asks for (`importers`). It records no versions of the workspace's own packages.
 * @throws LOCKFILE_UNKNOWN for a later version than 9, LOCKFILE_PINS.
 */
export const updatePnpmLock: LockfileUpdate = (text, own, file) => {
  const version = /^lockfileVersion:\s*['"]?(\d+)/m.exec(text)?.[1];
  if (version !== undefined && Number(version) > 9) throw newerLockfile(file, version, '9');
  const lines = text.split('\n');
  for (const { folder, ranges } of own) {
    for (const { name, from, to } of ranges) {
      const at = specifierLine(lines, { importer: folder === '' ? '.' : folder, name });
      if (at === null) continue;
      const [, lead = '', quote = '', range, end = ''] =
        /^(\s*(?:specifier|[^:]+|'[^']+'):\s*)(['"]?)(.*?)\2(\r?)$/.exec(lines[at] ?? '') ?? [];
      if (range !== from) continue;
      if (/^\s*version:/.test(lines[at + 1] ?? '') && !/version:\s*['"]?link:/.test(lines[at + 1] ?? ''))
        throw pinnedEntry(file, name, to);
      lines[at] = `${lead}${quote}${to}${quote}${end}`;
    }
  }
  return lines.join('\n');
};

/** The line with the range of a dependency: `specifier:` below its name, or one line below `specifiers:` in older files. */
function specifierLine(
  lines: readonly string[],
  { importer, name }: { readonly importer: string; readonly name: string },
): number | null {
  const block =
    blockOf(lines, { from: 0, indent: 2, key: importer }) ??
    (importer === '.' ? { start: 0, end: lines.length } : null);
  if (block === null) return null;
  for (let at = block.start; at < block.end; at++) {
    const key = keyOf(lines[at] ?? '');
    if (key !== name) continue;
    if (/^\s*specifier:/.test(lines[at + 1] ?? '')) return at + 1;
    if (isBelowSpecifiers(lines, at)) return at;
  }
  return null;
}

function isBelowSpecifiers(lines: readonly string[], at: number): boolean {
  const indent = indentOf(lines[at] ?? '');
  for (let above = at - 1; above >= 0; above--)
    if (indentOf(lines[above] ?? '') < indent) return keyOf(lines[above] ?? '') === 'specifiers';
  return false;
}

function blockOf(
  lines: readonly string[],
  { from, indent, key }: { readonly from: number; readonly indent: number; readonly key: string },
): { start: number; end: number } | null {
  const importers = lines.findIndex((line, at) => at >= from && /^importers:\s*$/.test(line));
  if (importers === -1) return null;
  for (let at = importers + 1; at < lines.length && !/^\S/.test(lines[at] ?? ''); at++) {
    if (indentOf(lines[at] ?? '') !== indent || keyOf(lines[at] ?? '') !== key) continue;
    let end = at + 1;
    while (end < lines.length && (lines[end]?.trim() === '' || indentOf(lines[end] ?? '') > indent)) end++;
    return { start: at + 1, end };
  }
  return null;
}

function keyOf(line: string): string | null {
  const [, , quoted, plain] = /^(\s*)(?:'([^']+)'|([^\s:'"][^:]*)):/.exec(line) ?? [];
  return quoted ?? plain ?? null;
}

function indentOf(line: string): number {
  return /^ */.exec(line)?.[0].length ?? 0;
}
