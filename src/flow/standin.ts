import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { StandinToken } from '../standin/guard.ts';
import { type Standin, type StandinProtocol, standinProtocols, startStandin } from '../standin/server.ts';
import { readSecret } from '../world/credential.ts';
import { readTextIfThere, writeWhole } from '../world/files.ts';
import type { Context } from './context.ts';

/** How the stand-in is started. */
export type StandinOptions = {
  readonly port: number;
  readonly store: string;
  /** References to tokens, each with what it may do: `REF`, `REF,read`, `REF,only=NAME`. */
  readonly tokens: readonly string[];
  /** Empty for all. */
  readonly speaks: readonly string[];
  /** Whether reading needs a token. */
  readonly isPrivate: boolean;
};

/** A stand-in that runs until the program is stopped. */
export type RunningStandin = {
  readonly url: string;
  readonly store: string;
  readonly speaks: readonly string[];
  /** What to write as `url` of a destination, by protocol. */
  readonly addresses: Readonly<Record<string, string>>;
  /** References to the tokens that it takes. */
  readonly tokens: readonly string[];
  readonly close: () => Promise<void>;
};

/** Starts the stand-in; without a token it makes one and keeps it in its store, for its owner alone. @throws USAGE */
export async function runStandin(context: Context, options: StandinOptions): Promise<RunningStandin> {
  const store = path.resolve(context.folder, options.store);
  const wanted = options.tokens.length > 0 ? options.tokens : [await ownToken(store)];
  const tokens = await Promise.all(wanted.map((text) => readToken(context, text)));
  for (const { secret } of tokens) context.secrets.add(secret);
  const speaks = standinProtocols.filter((one) => options.speaks.length === 0 || options.speaks.includes(one));
  const { port, isPrivate } = options;
  const standin: Standin = await startStandin({ port, store, tokens, isPrivate, speaks, now: context.now });
  const addresses = Object.fromEntries(speaks.map((one) => [one, standinAddress(standin, one)]));
  const references = wanted.map((text) => text.split(',')[0] ?? '');
  return { url: standin.url, store, speaks, addresses, tokens: references, close: standin.close };
}

/** What a destination has to have as `url`; a repository of releases, a service index. */
export function standinAddress(standin: Standin, speaks: StandinProtocol): string {
  const url = standin.urlFor(speaks);
  return speaks === 'maven-layout' ? `${url}releases/` : speaks === 'nuget-v3' ? `${url}index.json` : url;
}

async function readToken(context: Context, text: string): Promise<StandinToken> {
  const [reference = '', ...words] = text.split(',');
  const secret = await readSecret(reference, { env: context.env, folder: context.folder });
  const only = words.flatMap((word) => /^only=(.+)$/.exec(word)?.[1] ?? []).at(0) ?? null;
  const strange = words.find((word) => word !== 'read' && word !== 'write' && !/^only=./.test(word));
  if (strange === undefined)
    return { secret, may: words.includes('read') ? 'read' : 'write', user: 'harbour-desk', only };
  throw new BevelstoneError('USAGE', {
    message: `"${strange}" says nothing of a token`,
    why: 'behind the reference of a token stand read, write or only=PACKAGE, with commas between',
    fix: 'Write for example: --token env:TRY_TOKEN,only=tidemark',
  });
}

async function ownToken(store: string): Promise<string> {
  const file = path.join(store, 'token');
  if ((await readTextIfThere(file)) === null) await writeWhole(file, `${randomBytes(24).toString('hex')}\n`, 0o600);
  return `file:${file}`;
}
