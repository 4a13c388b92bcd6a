import type { ProtocolDefinition } from '../definition.ts';
import { curlSetUp, fileLines } from '../fetch-lines.ts';
import { plainProtocol, tokenOrUser } from '../traits.ts';

/** A store that takes files by PUT, WebDAV or not. */
export const httpPut: ProtocolDefinition = {
  ...plainProtocol,
  title: 'any store that accepts PUT; missing WebDAV collections are created',
  forms: null,
  bareSecret: tokenOrUser,
  client: 'fetch',
  compared: null,
  lines: (offer) => fileLines(offer),
  setUp: curlSetUp,
};
