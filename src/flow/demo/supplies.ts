import path from 'node:path';
import { type Standin, startStandin } from '../../standin/server.ts';
import type { Upstream } from '../../standin/service.ts';
import { copyOneFile, makeFolder } from '../../world/files.ts';
import { listFiles } from '../../world/list-files.ts';
import { programFolder } from '../../world/program-folder.ts';

/** A stand-in with the packages of the instrument makers, and what the office's own stand-in has to know of it. */
export type Supplies = {
  readonly standin: Standin;
  readonly store: string;
  readonly upstream: Readonly<Record<'npm-registry' | 'python-index' | 'maven-layout', readonly Upstream[]>>;
};

/** Lays out the store of the demo's third-party packages below a folder and serves it on a free port. */
export async function startSupplies(top: string, now: () => Date): Promise<Supplies> {
  const source = path.join(programFolder(), 'demo', 'supplies');
  const store = path.join(top, 'supplies');
  for (const { path: file } of await listFiles(source)) {
    const target = path.join(store, file);
    await makeFolder(path.dirname(target));
    await copyOneFile(path.join(source, file), target);
  }
  const standin = await startStandin({ port: 0, store, tokens: [], now });
  const upstream = {
    'npm-registry': [{ url: `${standin.url}node/` }],
    'python-index': [{ url: `${standin.url}python/simple/` }],
    'maven-layout': [{ url: `${standin.url}maven/releases/` }],
  };
  return { standin, store, upstream };
}
