import { cargoLines, cargoSetUp } from '../crate-index/cargo-lines.ts';
import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, withSlash } from '../traits.ts';

/** A registry of crates: its sparse index, and the web interface that the index names. */
export const crateRegistry: ProtocolDefinition = {
  ...plainProtocol,
  title: 'registry of crates, sparse index and web API',
  forms: ['crate'],
  // "Registry Web API": the token is the whole value of the header.
  bareSecret: { isUserWithPassword: false, otherwise: { type: 'header', name: 'Authorization' } },
  client: 'cargo',
  compared: ['crate'],
  upstream: 'crate-registry',
  readerUrl: withSlash,
  standinUrl: (served) => `${served}index/`,
  lines: cargoLines,
  setUp: cargoSetUp,
};
