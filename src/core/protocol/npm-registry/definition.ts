import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, tokenOnly, withSlash } from '../traits.ts';
import { npmLines, npmSetUp } from './npm-lines.ts';

/** A registry of the npm client. */
export const npmRegistry: ProtocolDefinition = {
  ...plainProtocol,
  title: 'registry for the npm client',
  forms: ['npm-tarball'],
  bareSecret: tokenOnly,
  client: 'npm',
  compared: null,
  upstream: 'npm-registry',
  readerUrl: withSlash,
  lines: npmLines,
  setUp: npmSetUp,
};
