import type { EcosystemDefinition } from '../definition.ts';
import { cargoRanges } from './ranges.ts';

/** Crates of Rust. */
export const rust: EcosystemDefinition = {
  title: 'crates of Rust',
  manifests: [{ file: 'Cargo.toml', load: async () => (await import('../../manifest/cargo-toml.ts')).cargoFormat }],
  scheme: 'rust',
  shownScheme: null,
  ranges: cargoRanges,
  purlType: 'cargo',
  usualTest: 'cargo test --locked',
  shortName: (name) => name,
  usualForms: ['source-archive'],
  limits: ['crates cannot be published yet: versions, changelog, lockfile, tag and a source archive work'],
  propose: null,
  usualDestination: { speaks: 'http-put', path: 'files/' },
  client: null,
  versionHeaders: null,
  findPlaces: async () => (await import('./version-places.ts')).findRustPlaces,
  isPrivate: (text) => !/^\[package\]/m.test(text) || /^publish\s*=\s*false/m.test(text),
  forbids: (text) => (/^[ \t]*publish[ \t]*=[ \t]*(?:false|\[[ \t]*\])/m.test(text) ? '`publish` is false' : null),
};
