import { compareBytes, type Entry, formatMode } from './entry.ts';

/** An entry that is in both artifacts and not the same. */
export type ChangedEntry = {
  readonly path: string;
  readonly before: Entry;
  readonly after: Entry;
  readonly what: readonly string[];
};

/** How two lists of entries differ; each list sorted by path. */
export type EntryComparison = {
  readonly added: readonly Entry[];
  readonly removed: readonly Entry[];
  readonly changed: readonly ChangedEntry[];
};

/** Compares two artifacts by what is in them, whatever folder each has on top. */
export function compareEntries(
  before: readonly Entry[],
  after: readonly Entry[],
  prefixes: { readonly before: string; readonly after: string } = { before: '', after: '' },
): EntryComparison {
  const [old, fresh] = [byPath(before, prefixes.before), byPath(after, prefixes.after)];
  const added = [...fresh].flatMap(([path, entry]) => (old.has(path) ? [] : [entry]));
  const removed = [...old].flatMap(([path, entry]) => (fresh.has(path) ? [] : [entry]));
  const changed = [...fresh].flatMap(([path, entry]): ChangedEntry[] => {
    const other = old.get(path);
    const what = other === undefined ? [] : differences(other, entry);
    return other === undefined || what.length === 0 ? [] : [{ path, before: other, after: entry, what }];
  });
  const sorted = <One extends { readonly path: string }>(list: readonly One[]) =>
    [...list].sort((a, b) => compareBytes(a.path, b.path));
  return { added: sorted(added), removed: sorted(removed), changed: sorted(changed) };
}

/** Sizes of files by their first folder, in both artifacts; the root's own files under ''. */
export function sizeByFolder(
  before: readonly Entry[],
  after: readonly Entry[],
  prefixes: { readonly before: string; readonly after: string },
): { readonly folder: string; readonly before: number; readonly after: number }[] {
  const [old, fresh] = [sums(before, prefixes.before), sums(after, prefixes.after)];
  const folders = [...new Set([...old.keys(), ...fresh.keys()])].sort(compareBytes);
  return folders.map((folder) => ({ folder, before: old.get(folder) ?? 0, after: fresh.get(folder) ?? 0 }));
}

function sums(entries: readonly Entry[], prefix: string): Map<string, number> {
  const found = new Map<string, number>();
  for (const { path, sizeBytes } of entries) {
    const inside = withoutPrefix(path, prefix);
    const folder = inside.includes('/') ? inside.slice(0, inside.indexOf('/')) : '';
    found.set(folder, (found.get(folder) ?? 0) + sizeBytes);
  }
  return found;
}

function differences(before: Entry, after: Entry): string[] {
  const what: string[] = [];
  if (before.type !== after.type) what.push(`${before.type} became ${after.type}`);
  else if (before.sha256 !== after.sha256) what.push(before.linkname === after.linkname ? 'content' : 'target');
  if (before.mode !== after.mode) what.push(`mode ${formatMode(before.mode)} became ${formatMode(after.mode)}`);
  return what;
}

function byPath(entries: readonly Entry[], prefix: string): Map<string, Entry> {
  return new Map(
    entries.map((entry) => [withoutPrefix(entry.path, prefix), { ...entry, path: withoutPrefix(entry.path, prefix) }]),
  );
}

function withoutPrefix(path: string, prefix: string): string {
  return path.startsWith(prefix) ? path.slice(prefix.length) : path;
}
