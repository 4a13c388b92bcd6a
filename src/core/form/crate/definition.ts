import { objectOf } from '../../manifest/fields.ts';
import type { FormDefinition, MetadataDefinition } from '../definition.ts';
import { pickLink, plainEntries, plainMetadata, plainTraits } from '../traits.ts';

const metadata: MetadataDefinition = {
  ...plainMetadata,
  links: (json) => {
    const crate = objectOf(json['package']);
    return ['homepage', 'repository', 'documentation'].flatMap((field) => pickLink(field, crate[field]));
  },
  namesRepository: (json) => typeof objectOf(json['package'])['repository'] === 'string',
  keywords: (json) => {
    const { keywords } = objectOf(json['package']);
    return keywords === undefined ? null : Array.isArray(keywords) ? keywords : 'not a list';
  },
  hasOldLicence: (json) => typeof objectOf(json['package'])['license-file'] === 'string',
};

/** A crate of Rust. */
export const crate: FormDefinition = {
  ...plainTraits,
  title: 'crate of Rust, `name-version.crate`',
  container: 'tar.gz',
  naming: { ending: /\.crate$/i, parts: [{ name: 'Cargo.toml in its one folder', path: /^[^/]+\/Cargo\.toml$/ }] },
  role: 'package',
  layout: async () => (await import('./crate.ts')).crate,
  platforms: 'one-with-all',
  entries: { ...plainEntries, links: 'dropped', modes: 'replaced' },
  ecosystem: 'rust',
  metadata,
  needsDescription: true,
  isShownOnUpload: true,
  isOwnFile: (path) => /(?:^|\/)(?:Cargo\.toml\.orig|\.cargo_vcs_info\.json)$/.test(path),
  buildFiles: ['Cargo.toml'],
  surface: async () => (await import('../../surface/rust/reader.ts')).rustSurfaceReader,
  reasonLeftOut: (hasList) =>
    hasList ? '`include` in Cargo.toml does not list it' : '`exclude`, or a package of its own',
  listedFiles: (json) => {
    const { include } = objectOf(json['package']);
    return Array.isArray(include) ? include : null;
  },
};
