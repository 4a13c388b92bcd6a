import type { BinaryKind } from '../contents/binary.ts';
import type { ReadEntry } from '../contents/entry.ts';
import type { FileFacts } from '../facts/facts.ts';
import type { Description } from './description.ts';

/** An artifact as rules and pages see it. All of it comes from the file itself. */
export type Artifact = Description & {
  readonly fileName: string;
  readonly sizeBytes: number;
  readonly entries: readonly ReadEntry[];
  /** Whole texts of manifests, licences and lists inside, by path. */
  readonly texts: ReadonlyMap<string, string>;
  /** Texts of a deb's control archive. */
  readonly control: ReadonlyMap<string, string>;
  readonly binaries: ReadonlyMap<string, BinaryKind>;
  readonly facts: FileFacts;
};

/** Paths of entries without the artifact's own top folder. */
export function insidePaths({ entries, prefix }: Pick<Artifact, 'entries' | 'prefix'>): string[] {
  return entries.map(({ path }) => insidePath(path, prefix));
}

/** A path without the artifact's own top folder. */
export function insidePath(path: string, prefix: string): string {
  return path.startsWith(prefix) ? path.slice(prefix.length) : path;
}

/** Entries that are files. */
export function filesIn({ entries }: Pick<Artifact, 'entries'>): readonly ReadEntry[] {
  return entries.filter(({ type }) => type === 'file');
}
