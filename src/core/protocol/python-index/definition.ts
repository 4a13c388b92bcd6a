import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, withSlash } from '../traits.ts';
import { pythonLines, pythonSetUp } from './python-lines.ts';

/** An index of Python packages: the upload interface and the Simple Repository API. */
export const pythonIndex: ProtocolDefinition = {
  ...plainProtocol,
  title: 'upload interface and Simple Repository API (PEP 503, 691, 700, 592)',
  forms: ['wheel', 'sdist'],
  // "Use __token__ as the user and the token as the password", as indexes with tokens have it.
  bareSecret: { isUserWithPassword: true, otherwise: { type: 'basic', user: '__token__' } },
  client: 'pip',
  compared: ['wheel'],
  upstream: 'python-index',
  readerUrl: (url) => `${withSlash(url)}simple/`,
  lines: pythonLines,
  setUp: pythonSetUp,
};
