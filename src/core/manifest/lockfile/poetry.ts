import { normaliseName } from '../normalise-name.ts';
import type { LockfileUpdate } from './own-entry.ts';
import { needsTool, newerLockfile } from './problem.ts';
import { splitEntries, withField } from './toml-entries.ts';

/**
 * `poetry.lock`, lock-version up to 2.1: versions of packages that are folders of the workspace. The project itself is not in it.
 * @throws LOCKFILE_UNKNOWN for a later version, and when a range changes: the hash of the project's needs is its tool's own.
 */
export const updatePoetryLock: LockfileUpdate = (text, own, file) => {
  const format = /^lock-version[ \t]*=[ \t]*"(\d+)\./m.exec(text)?.[1];
  if (format !== undefined && Number(format) > 2) throw newerLockfile(file, format, '2');
  const root = own.find(({ folder }) => folder === '');
  if (root !== undefined && root.ranges.length > 0)
    throw needsTool(
      file,
      `a range of ${root.name} changes, and the lockfile holds a hash of its ranges`,
      'poetry lock',
    );
  const { head, entries } = splitEntries(text);
  const versions = new Map(
    own.flatMap(({ name, version }) => (version === null ? [] : [[normaliseName(name), version] as const])),
  );
  const updated = entries.map(({ text: part, name }) => {
    const version = versions.get(normaliseName(name));
    const isFolder = /^\[package\.source\][^[]*?^type[ \t]*=[ \t]*"directory"/m.test(part);
    return version === undefined || !isFolder ? part : withField(part, 'version', version);
  });
  return head + updated.join('');
};
