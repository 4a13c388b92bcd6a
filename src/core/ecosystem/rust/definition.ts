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
  usualForms: ['source-archive'],
  client: null,
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/rust.ts')).findRustPlaces,
  isPrivate: () => false,
};
