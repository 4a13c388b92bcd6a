import { shownText } from '../../manifest/fields.ts';
import type { FormDefinition } from '../definition.ts';
import { pickLink, plainMetadata, plainTraits } from '../traits.ts';

/** A binary package for Debian and the systems made from it. */
export const deb: FormDefinition = {
  ...plainTraits,
  title: 'binary package for Debian',
  container: 'deb',
  role: 'package',
  layout: async () => (await import('./deb.ts')).deb,
  platforms: 'one-each',
  entries: {
    links: 'from-root',
    modes: 'kept',
    isPrivilegeAllowed: true,
    keepsOwners: true,
    hasTopFolder: false,
  },
  namedVersion: (version, { debian }) => debian?.replace(/-1$/, '') ?? version,
  // The epoch of a version is not in the file's name.
  fileVersions: (version) => [version.replace(/^\d+:/, '')],
  // Debian has names of its own.
  innerName: () => null,
  ecosystem: 'native',
  ownPurl: { type: 'deb', namespace: 'debian/' },
  metadata: { ...plainMetadata, links: (json) => pickLink('Homepage', json['Homepage']) },
  needsDescription: true,
  isUnpacked: true,
  installer: 'dpkg',
  surface: async () => (await import('../../surface/native/reader.ts')).nativeSurfaceReader,
  cLibraryLimit: ({ manifest }) =>
    /\blibc6 \(>= (\d+(?:\.\d+)+)/.exec(shownText(manifest?.json['Depends'] ?? ''))?.[1] ?? null,
  reasonLeftOut: () => 'a deb does not take it',
};
