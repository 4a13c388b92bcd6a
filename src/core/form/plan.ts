import type { PackedEntry } from '../contents/entry.ts';
import type { Candidate, Staged } from '../contents/select.ts';

/** An entry that was packed, with the digest that Debian's md5sums file wants where it was asked for. */
export type PackedSoFar = PackedEntry & { readonly md5: string | null };

/** Where the bytes of a planned entry come from. */
export type PlannedContent =
  | { readonly type: 'file'; readonly source: Candidate }
  | { readonly type: 'bytes'; readonly bytes: Uint8Array }
  /** A text that lies in the artifact as a gzip file. */
  | { readonly type: 'gzipped'; readonly text: string }
  /** Made of what was packed before it, such as a list of digests. */
  | { readonly type: 'made'; readonly make: (before: readonly PackedSoFar[]) => Uint8Array }
  | { readonly type: 'folder' };

/** One entry of an artifact before it is packed. */
export type PlannedEntry = { readonly path: string; readonly mode: number; readonly content: PlannedContent };

/** What holds the entries. `file`: the one entry is the artifact itself. */
export type Container = 'tar.gz' | 'zip' | 'deb' | 'file';

/** A whole artifact before it is packed. Entries are in the order in which they are written. */
export type ArtifactPlan = {
  readonly fileName: string;
  readonly container: Container;
  readonly entries: readonly PlannedEntry[];
  /** Members of a deb's control archive. */
  readonly control?: readonly PlannedEntry[];
  /** Commit named by the container itself; null where the form has another place for it. */
  readonly comment: string | null;
  /** Canonical JSON of metadata that is not among the entries; '' for none. */
  readonly metadata: string;
};

/** A staged file as a planned entry, at its place below a prefix. */
export function plannedFile({ source, path, mode }: Staged, prefix = ''): PlannedEntry {
  // A link has no mode of its own; every system shows it as open to all.
  return { path: prefix + path, mode: source.linkname === null ? mode : 0o777, content: { type: 'file', source } };
}

/** A text that Bevelstone writes itself. */
export function plannedText(path: string, text: string | Uint8Array, mode = 0o644): PlannedEntry {
  return { path, mode, content: { type: 'bytes', bytes: typeof text === 'string' ? Buffer.from(text) : text } };
}
