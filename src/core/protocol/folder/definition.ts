import type { ProtocolDefinition } from '../definition.ts';
import { fileLines } from '../fetch-lines.ts';
import { plainProtocol, tokenOnly } from '../traits.ts';

/** A plain folder or static site. */
export const folder: ProtocolDefinition = {
  ...plainProtocol,
  title: 'plain folder or static site',
  forms: null,
  bareSecret: tokenOnly,
  client: 'fetch',
  compared: null,
  lines: fileLines,
  setUp: () => [],
};
