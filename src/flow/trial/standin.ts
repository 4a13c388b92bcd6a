import { createHash, randomBytes } from 'node:crypto';
import path from 'node:path';
import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { lacks } from '../../core/name/lack.ts';
import { type RemoteProtocol, remoteProtocols } from '../../core/name/protocol.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import type { StandinToken } from '../../standin/guard.ts';
import { type Standin, startStandin } from '../../standin/server.ts';
import { readSecret } from '../../world/credential.ts';
import { makeFolder, readTextIfThere, removeFolder, writeWhole } from '../../world/files.ts';
import { gitFolderAround } from '../../world/git/repository.ts';
import { ownSuffix, temporaryTop } from '../../world/leftovers.ts';
import type { Context } from '../context.ts';

/** How the stand-in is started. */
export type StandinOptions = {
  readonly port: number;
  /** Null for a temporary folder that goes when the stand-in stops. */
  readonly store: string | null;
  /** References to tokens, each with what it may do: `REF`, `REF,read`, `REF,only=NAME`. */
  readonly tokens: readonly string[];
  /** Empty for all. */
  readonly speaks: readonly string[];
  /** Whether reading needs a token. */
  readonly isPrivate: boolean;
  /** What it cannot do. */
  readonly lacks: readonly string[];
};

/** A stand-in that runs until the program is stopped. */
export type RunningStandin = {
  readonly url: string;
  readonly store: string;
  /** Whether the store goes when the stand-in stops. */
  readonly isTemporary: boolean;
  readonly speaks: readonly string[];
  /** What to write as `url` of a destination, by protocol. */
  readonly addresses: Readonly<Record<string, string>>;
  /** References to the tokens that it takes. */
  readonly tokens: readonly string[];
  readonly close: () => Promise<void>;
};

/**
 * Starts the stand-in; without a token it makes one and keeps it for its owner alone, in the store, or in the git folder when
 * the store lies in a working tree, where it could be committed by mistake.
 * @throws USAGE, TEMPORARY_MISSING
 */
export async function runStandin(context: Context, options: StandinOptions): Promise<RunningStandin> {
  const isTemporary = options.store === null;
  const store =
    options.store === null
      ? path.join(await temporaryTop(), `bevelstone-standin-${ownSuffix()}`)
      : path.resolve(context.folder, options.store);
  await makeFolder(store, isTemporary ? 0o700 : 0o755);
  const wanted = options.tokens.length > 0 ? options.tokens : [await ownToken(await tokenFolder(context, store))];
  const tokens = await Promise.all(wanted.map((text) => readToken(context, text)));
  for (const { secret } of tokens) context.secrets.add(secret);
  const speaks = remoteProtocols.filter(
    (remoteProtocol) => options.speaks.length === 0 || options.speaks.includes(remoteProtocol),
  );
  const { port, isPrivate } = options;
  const missing = lacks.filter((lack) => options.lacks.includes(lack));
  const standin: Standin = await startStandin({
    port,
    store,
    tokens,
    isPrivate,
    speaks,
    lacks: missing,
    now: context.now,
  });
  const addresses = Object.fromEntries(speaks.map((speak) => [speak, standinAddress(standin, speak)]));
  const references = wanted.map((text) => text.split(',')[0] ?? '');
  const close = async () => {
    await standin.close();
    if (isTemporary) await removeFolder(store);
  };
  return { url: standin.url, store, isTemporary, speaks, addresses, tokens: references, close };
}

/** What a destination has to have as `url`; a repository of releases, a service index. */
export function standinAddress(
  standin: Standin,
  speaks: RemoteProtocol,
  config: Pick<DestinationConfig, 'snapshots'> | null = null,
): string {
  return protocolDefinitions[speaks].standinUrl(standin.urlFor(speaks), config);
}

async function readToken(context: Context, text: string): Promise<StandinToken> {
  const [reference = '', ...words] = text.split(',');
  const secret = await readSecret(reference, { env: context.env, folder: context.folder, origins: new Set() });
  const only = words.flatMap((word) => /^only=(.+)$/.exec(word)?.[1] ?? []).at(0) ?? null;
  const strange = words.find((word) => word !== 'read' && word !== 'write' && !/^only=./.test(word));
  if (strange === undefined)
    return { secret, may: words.includes('read') ? 'read' : 'write', user: 'harbour-desk', only };
  throw new BevelstoneError('USAGE', {
    message: `invalid token option "${strange}"`,
    why: 'a token may be followed by read, write or only=PACKAGE, separated by commas',
    fix: 'Write for example: --token env:TRY_TOKEN,only=tidemark',
  });
}

async function tokenFolder(context: Context, store: string): Promise<string> {
  const commonFolder = await gitFolderAround(store, context.env);
  if (commonFolder === null) return store;
  const name = createHash('sha256').update(store).digest('hex').slice(0, 12);
  return path.join(commonFolder, 'bevelstone', 'standin', name);
}

async function ownToken(folder: string): Promise<string> {
  const file = path.join(folder, 'token');
  if ((await readTextIfThere(file)) === null) await writeWhole(file, `${randomBytes(24).toString('hex')}\n`, 0o600);
  return `file:${file}`;
}
