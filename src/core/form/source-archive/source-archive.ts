import { compareBytes } from '../../contents/entry.ts';
import { plainMode, sortStaged } from '../../contents/select.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import type { Layout } from '../layout.ts';
import { fillPlaceholders } from '../placeholder.ts';
import { archiveName } from '../plain-archive/plain-archive.ts';
import { plannedFile, plannedText } from '../plan.ts';
import { formatFromSource, fromSourceName } from './from-source.ts';

/**
 * The sources as they are at the commit, below one folder with name and version, and with the version written in: into the
 * manifest or header that carries it, else into a file `VERSION`. Nothing that a build step made goes along; `from-source.json`
 * says how to make it.
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
    if (staged.some(({ path }) => path === fromSourceName)) throw alreadyThere(input.packageName);
    const how = input.fromSource(input.artifact.tree === 'commit' ? input.folder : '');
    const names = [...(isWritten ? [] : ['VERSION']), fromSourceName];
    const made = [...version, plannedText(`${top}${fromSourceName}`, formatFromSource({ ...how, made: names }))];
    const entries = [...staged.map((staged) => plannedFile(staged, top)), ...made];
    return {
      fileName: archiveName(input, `${stem}-source.tar.gz`),
      container: 'tar.gz',
      entries: entries.sort((a, b) => compareBytes(a.path, b.path)),
      comment: input.commit,
      metadata: '',
    };
  },
};

function alreadyThere(packageName: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_COLLISION', {
    message: `${fromSourceName} of ${packageName} cannot go into its source archive`,
    why: 'the archive gets a file of that name, which says how it is built',
    fix: 'Give the file of the repository another name',
    where: { file: fromSourceName },
  });
}
