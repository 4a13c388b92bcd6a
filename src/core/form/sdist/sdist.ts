import { compareBytes } from '../../contents/entry.ts';
import { plainMode, sortStaged } from '../../contents/select.ts';
import type { Layout } from '../layout.ts';
import { plannedFile, plannedText } from '../plan.ts';
import { isLeftover, readPython } from '../python/python.ts';

/**
 * A source distribution ("Source distribution format" specification, PEP 517, PEP 625): the package's files at the commit with
 * the version written in, and PKG-INFO.
 */
export const sdist: Layout = {
  select: async ({ files, tracked }) =>
    sortStaged(
      files
        .filter(({ path }) => tracked.has(path) && !isLeftover(path) && path !== 'PKG-INFO')
        .map((source) => ({ source, path: source.path, mode: plainMode(source) })),
    ),
  plan: async (input, staged) => {
    const { stem, metadata } = await readPython(input);
    const entries = [
      ...staged.map((staged) => plannedFile(staged, `${stem}/`)),
      plannedText(`${stem}/PKG-INFO`, metadata),
    ];
    return {
      fileName: `${stem}.tar.gz`,
      container: 'tar.gz',
      entries: entries.sort((a, b) => compareBytes(a.path, b.path)),
      comment: null,
      metadata: '',
    };
  },
};
