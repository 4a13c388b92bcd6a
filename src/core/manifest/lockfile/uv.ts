import { normaliseName } from '../normalise-name.ts';
import type { LockfileUpdate } from './own-entry.ts';
import { newerLockfile, pinnedEntry } from './problem.ts';
import { field, splitEntries, withField } from './toml-entries.ts';

/** Sources that are folders of the workspace. */
const ownSource = /^source[ \t]*=[ \t]*\{[ \t]*(?:editable|virtual|directory)[ \t]*=/m;

/**
 * `uv.lock`, version 1: the version of each project of the workspace, and the ranges that it asks for in
 * `[package.metadata]`. A project with a dynamic version has none there.
 * @throws LOCKFILE_UNKNOWN for a later version, LOCKFILE_PINS.
 */
export const updateUvLock: LockfileUpdate = (text, own, file) => {
  const { head, entries } = splitEntries(text);
  const format = /^version[ \t]*=[ \t]*(\d+)/m.exec(head)?.[1];
  if (format !== undefined && Number(format) > 1) throw newerLockfile(file, format, '1');
  const byName = new Map(own.map((pkg) => [normaliseName(pkg.name), pkg]));
  const isOwn = (name: string) => entries.some((entry) => entry.name === name && ownSource.test(entry.text));
  const updated = entries.map(({ text: part, name }) => {
    const pkg = byName.get(name);
    if (pkg === undefined || !ownSource.test(part)) return part;
    const versioned =
      pkg.version === null || field(part, 'version') === null ? part : withField(part, 'version', pkg.version);
    return pkg.ranges.reduce((edited, { name: needed, from, to }) => {
      if (!isOwn(needed) && entries.some((entry) => entry.name === needed)) throw pinnedEntry(file, needed, to);
      return edited.replaceAll(`name = "${needed}", specifier = "${from}"`, `name = "${needed}", specifier = "${to}"`);
    }, versioned);
  });
  return head + updated.join('');
};
