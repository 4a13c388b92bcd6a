import type { ProtocolDefinition } from '../definition.ts';
import { fileLines } from '../fetch-lines.ts';
import { plainProtocol, tokenOrUser } from '../traits.ts';

/** A store that takes files by PUT, WebDAV or not. */
export const httpPut: ProtocolDefinition = {
  ...plainProtocol,
  title: 'any store that takes PUT; WebDAV collections are made when missing',
  forms: null,
  bareSecret: tokenOrUser,
  client: 'fetch',
  compared: null,
  lines: fileLines,
  setUp: () => [],
};
