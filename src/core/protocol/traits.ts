import type { BareSecret, ProtocolDefinition } from './definition.ts';

/** An address with `/` behind it. */
export const withSlash = (url: string): string => (url.endsWith('/') ? url : `${url}/`);

/** A bearer token, or a user with a password. */
export const tokenOrUser: BareSecret = { isUserWithPassword: true, otherwise: { type: 'token' } };

/** A bearer token, whatever it looks like. */
export const tokenOnly: BareSecret = { isUserWithPassword: false, otherwise: { type: 'token' } };

/** What most protocols have in common; a definition says what is different. */
export const plainProtocol: Omit<
  ProtocolDefinition,
  'title' | 'forms' | 'bareSecret' | 'client' | 'compared' | 'lines' | 'setUp'
> = {
  usesAccessKeys: false,
  usesGit: false,
  oneWay: [],
  upstream: null,
  readerUrl: (url) => url,
  filesUrl: (url) => url,
  standinUrl: (served) => served,
  furtherOrigins: () => [],
  refuses: () => null,
  sampleName: 'probe',
};
