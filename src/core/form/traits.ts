import type { EntryTraits, FormDefinition, MetadataDefinition } from './definition.ts';

/** Entries that an unpacker writes as they are, below one folder. */
export const plainEntries: EntryTraits = {
  links: 'kept',
  modes: 'kept',
  isPrivilegeAllowed: false,
  keepsOwners: false,
  hasTopFolder: true,
};

/** A manifest of which only the common fields are known. */
export const plainMetadata: MetadataDefinition = {
  links: () => [],
  namesRepository: () => true,
  keywords: () => null,
  runtime: () => null,
  impossibleRanges: () => [],
  isFreeLicence: () => false,
  hasOldLicence: () => false,
};

/** What most forms have in common; a definition says what is different. */
export const plainTraits: Omit<
  FormDefinition,
  'title' | 'container' | 'role' | 'layout' | 'platforms' | 'entries' | 'ecosystem' | 'reasonLeftOut'
> = {
  naming: null,
  namedVersion: (version) => version,
  fileVersions: () => [],
  innerVersions: () => [],
  innerName: (name) => name,
  ownPurl: null,
  page: null,
  metadata: plainMetadata,
  needsDescription: false,
  listedFiles: () => null,
  hasNodeEntries: false,
  surface: null,
  surfaceLike: null,
  isShownOnUpload: false,
  isSource: false,
  isLoose: false,
  isUnpacked: false,
  installer: null,
  cLibraryLimit: () => null,
  isOwnFile: () => false,
  hashes: () => ({}),
  buildFiles: [],
};

/** A string that is not empty, as the value of a field. */
export function pickLink(field: string, value: unknown): { field: string; url: string }[] {
  return typeof value === 'string' && value.trim() !== '' ? [{ field, url: value.trim() }] : [];
}
