import type { ProtocolDefinition } from '../definition.ts';
import { pythonLines, pythonSetUp } from '../python-index/python-lines.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';

/** An index of Python packages made of files. */
export const simpleIndexProtocol: ProtocolDefinition = {
  ...plainProtocol,
  title: 'static index for Python (PEP 503, 658, 691, 592)',
  forms: ['wheel', 'sdist'],
  bareSecret: tokenOrUser,
  client: 'pip',
  compared: ['wheel'],
  upstream: 'python-index',
  readerUrl: (url) => `${withSlash(url)}simple/`,
  lines: pythonLines,
  setUp: pythonSetUp,
};
