import type { ReadEntry } from '../../core/contents/entry.ts';
import type { ArchiveBudget } from './budget.ts';
import type { EntryWatcher } from './entry-watcher.ts';

/** What kind of container a file is, by its first bytes. */
export type ReadContainer = 'tar.gz' | 'tar' | 'zip' | 'deb' | 'text';

/** What was read of an archive. */
export type ReadArchive = {
  readonly container: ReadContainer;
  readonly entries: readonly ReadEntry[];
  /** Contents that a watcher wanted and that were small enough. */
  readonly kept: ReadonlyMap<string, Buffer>;
  /** What the container says of itself: a commit in archives that git or Bevelstone made. */
  readonly comment: string | null;
  /** Texts of a deb's control archive by name; empty for others. */
  readonly control: ReadonlyMap<string, string>;
  readonly sizeBytes: number;
  readonly sha256: string;
};

/** What a container's reader gives. */
export type ReadContents = Pick<ReadArchive, 'entries' | 'kept' | 'comment' | 'control'>;

/** How one container is read. */
export type ContainerReader = (file: string, watcher: EntryWatcher, budget: ArchiveBudget) => Promise<ReadContents>;
