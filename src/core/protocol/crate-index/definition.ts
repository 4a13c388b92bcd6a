import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';
import { cargoLines, cargoSetUp } from './cargo-lines.ts';

/** A sparse index of crates made of files. */
export const crateIndexProtocol: ProtocolDefinition = {
  ...plainProtocol,
  title: 'static sparse index of crates (RFC 2789)',
  forms: ['crate'],
  bareSecret: tokenOrUser,
  client: 'cargo',
  compared: ['crate'],
  upstream: 'crate-registry',
  readerUrl: withSlash,
  lines: cargoLines,
  setUp: cargoSetUp,
};
