import type { ProtocolDefinition } from '../definition.ts';
import { npmLines, npmSetUp } from '../npm-registry/npm-lines.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';

/** What the npm client reads, made of files. */
export const npmStaticProtocol: ProtocolDefinition = {
  ...plainProtocol,
  title: 'static registry for the npm client',
  forms: ['npm-tarball'],
  bareSecret: tokenOrUser,
  client: 'npm',
  compared: null,
  upstream: 'npm-registry',
  readerUrl: withSlash,
  lines: npmLines,
  setUp: npmSetUp,
};
