import type { IndexFile } from '../../core/protocol/python-index/python-index.ts';

/** A project as it is stored. */
export type StoredProject = {
  readonly name: string;
  readonly summary: string;
  readonly description: string;
  readonly files: readonly (Omit<IndexFile, 'url'> & { readonly version: string; readonly visibleFrom: string })[];
};
