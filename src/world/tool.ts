import { createHash } from 'node:crypto';
import { constants, createReadStream } from 'node:fs';
import { access, realpath } from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { runCommand } from './command.ts';
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

/** What was found, by program and environment: asking takes as long as the program takes to start. */
const known = new Map<string, Promise<FoundTool>>();

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
  const key = JSON.stringify([program, place, [inode, sizeBytes, changedNs].join(), env]);
  const found = known.get(key) ?? askTool({ name, program, place }, env, signal);
  known.set(key, found);
  const forget = () => known.delete(key);
  // One that gave no version may only have been slow.
  void found.then(({ version }) => version === null && forget(), forget);
  return { ...(await found), name };
}

async function askTool(
  { name, program, place }: { readonly name: string; readonly program: string; readonly place: string },
  env: Readonly<Record<string, string>>,
  signal: AbortSignal,
): Promise<FoundTool> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(place), hash);
  const sha256 = hash.digest('hex');
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
    if (version !== undefined) return { name, path: place, version, sha256 };
  }
  return { name, path: place, version: null, sha256 };
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
