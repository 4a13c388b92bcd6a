import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';
import { moduleHash } from './module-hash.ts';

const manifestPath = /^.+@v[^/]+\/go\.mod$/;

/** The zip of a module for Go. */
export const goModule: FormDefinition = {
  ...plainTraits,
  title: 'zip of a module for Go, as proxies have it',
  container: 'zip',
  role: 'package',
  layout: async () => (await import('./go-module.ts')).goModule,
  platforms: 'one-with-all',
  entries: { ...plainEntries, links: 'dropped', modes: 'none' },
  ecosystem: 'go',
  isShownOnUpload: true,
  buildFiles: ['go.mod'],
  surface: async () => (await import('../../surface/go/reader.ts')).goSurfaceReader,
  reasonLeftOut: () => 'a module takes neither vendored packages nor modules inside it',
  hashes: (entries) => {
    const files = entries
      .filter(({ type }) => type === 'file')
      .map(({ path, sha256 }) => ({ path, sha256: sha256 ?? '' }));
    const own = files.filter(({ path }) => manifestPath.test(path)).sort((a, b) => a.path.length - b.path.length)[0];
    return {
      h1: moduleHash(files),
      ...(own === undefined ? {} : { 'h1-mod': moduleHash([{ path: 'go.mod', sha256: own.sha256 }]) }),
    };
  },
};
