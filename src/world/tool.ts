import { createHash } from 'node:crypto';
import { constants, createReadStream } from 'node:fs';
import { access, realpath } from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { runCommand } from './command.ts';

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

/** Looks a tool up on the PATH and asks for its version. @returns null when it is not there. */
export async function findTool(
  name: string,
  env: Readonly<Record<string, string>>,
  signal: AbortSignal,
): Promise<FoundTool | null> {
  const program = await findOnPath(name, env['PATH'] ?? '');
  if (program === null) return null;
  const place = await realpath(program);
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
