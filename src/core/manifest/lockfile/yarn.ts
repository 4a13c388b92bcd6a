import type { LockfileUpdate } from './own-entry.ts';
import { newerLockfile, pinnedEntry } from './problem.ts';

/**
 * `yarn.lock` of both generations. The first records nothing of the workspace; the second has an entry for each folder, with the
 * ranges that it asks for, and the ranges that lead to it in the entry's key.
 * @throws LOCKFILE_UNKNOWN for a later version of the second than 10, LOCKFILE_PINS.
 */
export const updateYarnLock: LockfileUpdate = (text, own, file) => {
  const version = /^__metadata:\r?\n(?:[ \t]+.*\r?\n)*?[ \t]+version:[ \t]*(\d+)/m.exec(text)?.[1];
  if (version !== undefined && Number(version) > 10) throw newerLockfile(file, version, '10');
  return own.reduce(
    (all, pkg) =>
      pkg.ranges.reduce(
        (edited, range) => updateRange(edited, { ...range, folder: pkg.folder, file, isSecond: version !== undefined }),
        all,
      ),
    text,
  );
};

function updateRange(
  text: string,
  {
    folder,
    name,
    from,
    to,
    file,
    isSecond,
  }: {
    readonly folder: string;
    readonly name: string;
    readonly from: string;
    readonly to: string;
    readonly file: string;
    readonly isSecond: boolean;
  },
): string {
  const entries = text.split(/(?=^\S)/m);
  const own = `@workspace:${folder === '' ? '.' : folder}`;
  const asked = new Set([`${name}@npm:${from}`, `${name}@${from}`]);
  return entries
    .map((entry) => {
      const [head = ''] = entry.split('\n');
      const keys = head
        .replace(/:\s*$/, '')
        .replace(/^"|"$/g, '')
        .split(/",? ?"|, /);
      if (keys.some((key) => asked.has(key))) {
        const isOwn = keys.some((key) => key.startsWith(`${name}@workspace:`));
        if (!isOwn) {
          if (!isSecond || keys.length === 1) throw pinnedEntry(file, name, to);
          return entry;
        }
        return entry.replace(head, head.replace(`${name}@npm:${from}`, `${name}@npm:${to}`));
      }
      if (!keys.some((key) => key.endsWith(own))) return entry;
      return entry.replace(
        new RegExp(`^(\\s+"?${literal(name)}"?:\\s+"?(?:npm:)?)${literal(from)}("?)$`, 'm'),
        (_, lead: string, end: string) => `${lead}${to}${end}`,
      );
    })
    .join('');
}

function literal(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
}
