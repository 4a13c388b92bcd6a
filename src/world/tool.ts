import { constants } from 'node:fs';
import { access, realpath } from 'node:fs/promises';
import path from 'node:path';
import { runCommand } from './command.ts';
import { hashFile } from './file-bytes.ts';
import { readStamp } from './file-stamp.ts';

/** A tool as it was found. */
export type FoundTool = {
  readonly name: string;
  /** The program itself, links followed. */
  readonly path: string;
  /** The first number with dots that it prints when asked; null when it prints none. */
  readonly version: string | null;
  readonly sha256: string;
};

const patienceMs = 20_000;

/** Versions by program and environment: asking takes as long as the program takes to start. */
const versions = new Map<string, Promise<string | null>>();
/** Digests of programs. */
const digests = new Map<string, Promise<string>>();

/** Looks a tool up on the PATH and asks for its version, once while its file stays the same. @returns null when it is not there. */
export async function findTool(
  name: string,
  env: Readonly<Record<string, string>>,
  signal: AbortSignal,
): Promise<FoundTool | null> {
  const program = await findOnPath(name, env['PATH'] ?? '');
  if (program === null) return null;
  const place = await realpath(program);
  const { inode, sizeBytes, changedNs } = await readStamp(place);
  const file = [place, inode, sizeBytes, changedNs].join('\0');
  const [sha256, version] = await Promise.all([
    remember(digests, file, () => hashFile(place, 'sha256')),
    remember(versions, JSON.stringify([program, file, env]), () => askVersion({ program, place }, env, signal)),
  ]);
  return { name, path: place, version, sha256 };
}

/** What is being found, or was; nothing and a failure are forgotten, since a program may only have been slow. */
function remember<Value>(known: Map<string, Promise<Value>>, key: string, find: () => Promise<Value>): Promise<Value> {
  const found = known.get(key) ?? find();
  known.set(key, found);
  const forget = () => known.delete(key);
  void found.then((value) => value === null && forget(), forget);
  return found;
}

async function askVersion(
  { program, place }: { readonly program: string; readonly place: string },
  env: Readonly<Record<string, string>>,
  signal: AbortSignal,
): Promise<string | null> {
  for (const question of ['--version', '-version', 'version']) {
    const limited = AbortSignal.any([signal, AbortSignal.timeout(patienceMs)]);
    const end = await runCommand({
      program,
      args: [question],
      folder: path.dirname(place),
      env,
      signal: limited,
    }).catch((error: unknown) => {
      signal.throwIfAborted();
      if (limited.aborted) return null;
      throw error;
    });
    if (end === null || end.type === 'missing' || end.exitCode !== 0) continue;
    const version = /(?<![\w.])(?:v|go)?(\d+(?:\.\d+)+)/.exec(end.all)?.[1];
    if (version !== undefined) return version;
  }
  return null;
}

/** Absolute path of a program as a shell would find it, links not followed; null when it is not there. */
export async function findOnPath(name: string, searchPath: string): Promise<string | null> {
  const places = name.includes('/')
    ? [name]
    : searchPath.split(path.delimiter).map((folder) => path.join(folder, name));
  for (const place of places) {
    if (!path.isAbsolute(place)) continue;
    try {
      await access(place, constants.X_OK);
      return place;
    } catch {
      // not here; the next folder may have it
    }
  }
  return null;
}
