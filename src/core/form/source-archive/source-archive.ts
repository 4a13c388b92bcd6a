import { compareBytes } from '../../contents/entry.ts';
import { plainMode, sortStaged } from '../../contents/select.ts';
import type { Layout } from '../layout.ts';
import { fillPlaceholders } from '../placeholder.ts';
import { archiveName } from '../plain-archive/plain-archive.ts';
import { plannedFile, plannedText } from '../plan.ts';

/**
 * The sources as they are at the commit, below one folder with name and version, and with the version written in: into the
 * manifest or header that carries it, else into a file `VERSION`. Nothing that a build step made goes along.
 */
export const sourceArchive: Layout = {
  select: async ({ files, tracked }) =>
    sortStaged(
      files
        .filter(({ path }) => tracked.has(path))
        .map((source) => ({ source, path: source.path, mode: plainMode(source) })),
    ),
  plan: async (input, staged) => {
    const stem = fillPlaceholders('{package}-{version}', input);
    const isWritten = input.isStamped || staged.some(({ path }) => path === 'VERSION');
    const top = input.artifact.top === 'none' ? '' : `${stem}/`;
    const version = isWritten ? [] : [plannedText(`${top}VERSION`, `${input.version}\n`)];
    const entries = [...staged.map((staged) => plannedFile(staged, top)), ...version];
    return {
      fileName: archiveName(input, `${stem}-source.tar.gz`),
      container: 'tar.gz',
      entries: entries.sort((a, b) => compareBytes(a.path, b.path)),
      comment: input.commit,
      metadata: '',
    };
  },
};
