import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { type Standin, standinProtocols, startStandin } from '../standin/server.ts';
import { readCredential } from '../world/credential.ts';
import { readTextIfThere, writeWhole } from '../world/files.ts';
import type { Context } from './context.ts';

/** How the stand-in is started. */
export type StandinOptions = { readonly port: number; readonly store: string; readonly tokens: readonly string[] };

/** A stand-in that runs until the program is stopped. */
export type RunningStandin = {
  readonly url: string;
  readonly store: string;
  readonly speaks: readonly string[];
  /** References to the tokens that it takes. */
  readonly tokens: readonly string[];
  readonly close: () => Promise<void>;
};

/** Starts the stand-in; without a token it makes one and keeps it in its store, for its owner alone. */
export async function runStandin(context: Context, options: StandinOptions): Promise<RunningStandin> {
  const store = path.resolve(context.folder, options.store);
  const references = options.tokens.length > 0 ? options.tokens : [await ownToken(store)];
  const tokens = new Set<string>();
  for (const reference of references) {
    const token = await readCredential(reference, context.env, context.folder);
    if (token !== null) tokens.add(token);
  }
  for (const token of tokens) context.secrets.add(token);
  const standin: Standin = await startStandin({ port: options.port, store, tokens, now: context.now });
  return { url: standin.url, store, speaks: standinProtocols, tokens: references, close: standin.close };
}

async function ownToken(store: string): Promise<string> {
  const file = path.join(store, 'token');
  if ((await readTextIfThere(file)) === null) await writeWhole(file, `${randomBytes(24).toString('hex')}\n`, 0o600);
  return `file:${file}`;
}
