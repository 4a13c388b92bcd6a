import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';
import { goLines, goSetUp } from './go-lines.ts';

/** A module proxy made of files. */
export const goProxyProtocol: ProtocolDefinition = {
  ...plainProtocol,
  title: 'static module proxy for Go (GOPROXY protocol)',
  forms: ['go-module'],
  bareSecret: tokenOrUser,
  client: 'go',
  compared: ['go-module'],
  upstream: 'go-proxy',
  readerUrl: withSlash,
  sampleName: 'probe.example/probe',
  lines: goLines,
  setUp: goSetUp,
};
