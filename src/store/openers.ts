import type { StoreName } from '../core/name/protocol.ts';
import type { Connection } from './connection.ts';
import type { Store } from './store.ts';

/** Opens a store without sending a request. */
export type OpenStore = (connection: Connection) => Store;

/** What opens each store, loaded when it is used. */
export const storeOpeners: Readonly<Record<StoreName, () => Promise<OpenStore>>> = {
  folder: async () => (await import('./folder.ts')).openFolder,
  'http-put': async () => (await import('./http-put.ts')).openHttpPut,
  s3: async () => (await import('./s3.ts')).openS3,
};
