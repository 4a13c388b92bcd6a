import type { LockfileUpdate } from './own-entry.ts';
import { newerLockfile, pinnedEntry } from './problem.ts';
import { field, splitEntries, withField } from './toml-entries.ts';

/**
 * `Cargo.lock`, version 1 to 4: the version of each crate of the workspace, which is one without a source, and where a
 * dependency is named with its version.
 * @throws LOCKFILE_UNKNOWN for a later version, LOCKFILE_PINS.
 */
export const updateCargoLock: LockfileUpdate = (text, own, file) => {
  const { head, entries } = splitEntries(text);
  const format = /^version[ \t]*=[ \t]*(\d+)/m.exec(head)?.[1];
  if (format !== undefined && Number(format) > 4) throw newerLockfile(file, format, '4');
  const changed = new Map<string, { readonly old: string; readonly version: string }>();
  for (const { name, version, ranges } of own) {
    for (const range of ranges)
      if (
        !entries.some((entry) => entry.name === range.name && field(entry.text, 'source') === null) &&
        entries.some((entry) => entry.name === range.name)
      )
        throw pinnedEntry(file, range.name, range.to);
    const entry = entries.find((found) => found.name === name && field(found.text, 'source') === null);
    if (entry?.version != null && version !== null && entry.version !== version)
      changed.set(name, { old: entry.version, version });
  }
  const updated = entries.map(({ text: part, name }) => {
    const change = field(part, 'source') === null ? changed.get(name) : undefined;
    const renamed = change === undefined ? part : withField(part, 'version', change.version);
    return [...changed].reduce(
      (edited, [dependency, { old, version }]) =>
        edited.replaceAll(`"${dependency} ${old}"`, `"${dependency} ${version}"`),
      renamed,
    );
  });
  return head + updated.join('');
};
