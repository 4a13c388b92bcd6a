import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';
import { npmMetadata, npmPage } from './npm-metadata.ts';

/** A package for the npm client. */
export const npmTarball: FormDefinition = {
  ...plainTraits,
  title: 'package for the npm client, `name-version.tgz`',
  container: 'tar.gz',
  naming: { ending: /\.tgz$/i, parts: [{ name: 'package.json in its one folder', path: /^[^/]+\/package\.json$/ }] },
  role: 'package',
  layout: async () => (await import('./npm-tarball.ts')).npmTarball,
  platforms: 'one-with-all',
  entries: { ...plainEntries, links: 'dropped', modes: 'replaced' },
  ecosystem: 'node',
  page: npmPage,
  metadata: npmMetadata,
  needsDescription: true,
  listedFiles: ({ files }) => (Array.isArray(files) ? files : null),
  hasNodeEntries: true,
  surface: async () => (await import('../../surface/node/reader.ts')).nodeSurfaceReader,
  isShownOnUpload: true,
  reasonLeftOut: (hasList) =>
    hasList ? '`files` in package.json does not list it' : 'an ignore file or the npm client leaves it out',
};
