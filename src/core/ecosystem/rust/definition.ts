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
  usualForms: ['crate'],
  limits: [],
  propose: null,
  usualDestination: { speaks: 'crate-registry', path: 'crates/index/' },
  client: 'cargo',
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: async () => (await import('./version-places.ts')).findRustPlaces,
  isPrivate: (text) => !/^\[package\]/m.test(text) || /^publish\s*=\s*false/m.test(text),
  forbids: (text) => (/^[ \t]*publish[ \t]*=[ \t]*(?:false|\[[ \t]*\])/m.test(text) ? '`publish` is false' : null),
};
