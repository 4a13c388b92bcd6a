import { randomBytes } from 'node:crypto';
import path from 'node:path';
import type { UpstreamConfig, UpstreamProtocol } from '../../core/config/config.ts';
import { escapePath } from '../../core/manifest/module-path.ts';
import { normaliseName } from '../../core/manifest/normalise-name.ts';
import { isServed, type Protocol, type RemoteProtocol, remoteProtocols } from '../../core/name/protocol.ts';
import { indexPath } from '../../core/protocol/crate-index/crate-path.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import { artifactFolder, coordinatesOf } from '../../core/protocol/maven-layout/maven-layout.ts';
import { packagePath } from '../../core/protocol/npm-registry/npm-document.ts';
import { startStandin } from '../../standin/server.ts';
import type { Upstream } from '../../standin/service.ts';
import { authorizationHeaders } from '../../store/authorization.ts';
import { drain, send } from '../../world/http.ts';
import type { Context } from '../context.ts';
import { resolveUrl } from '../workspace/resolve-url.ts';
import type { Package } from '../workspace/workspace.ts';
import type { Wanted } from './client/client.ts';
import { clientFor } from './client/clients.ts';

type UpstreamKey = 'rehearse.upstream' | 'confirm.upstream';

/** Where names outside the workspace come from for a protocol, with `/` behind; null for nowhere. @throws ENVIRONMENT_MISSING, CONFIG_INVALID */
export function upstreamFor(
  context: Context,
  key: UpstreamKey,
  { config, speaks }: { readonly config: UpstreamConfig; readonly speaks: Protocol },
): string | null {
  const { upstream } = protocolDefinitions[speaks];
  const url = upstream === null ? undefined : config[upstream];
  return url === undefined ? null : resolveUrl(context, key, url).replace(/\/*$/, '/');
}

/** The same for every protocol that a stand-in serves, as the stand-in wants it. */
export function standinUpstreams(
  context: Context,
  key: UpstreamKey,
  config: UpstreamConfig,
): Partial<Record<RemoteProtocol, readonly Upstream[]>> {
  return Object.fromEntries(
    remoteProtocols.flatMap((speaks) => {
      const url = upstreamFor(context, key, { config, speaks });
      return url === null ? [] : [[speaks, [{ url }]] as const];
    }),
  );
}

/** Whether a place is named where a protocol's other names come from. */
export function hasUpstream(config: UpstreamConfig, speaks: Protocol): boolean {
  const { upstream } = protocolDefinitions[speaks];
  return upstream !== null && config[upstream] !== undefined;
}

/** Names that an install needs and that are not packages of this workspace. */
export function outsideNames(own: Package, packages: readonly Package[]): string[] {
  const inside = new Set(packages.flatMap(({ name, fullName }) => [name, fullName]));
  const needed = (own.manifest?.dependencies ?? []).filter(({ kind }) => kind === 'run').map(({ name }) => name);
  return [...new Set(needed.filter((name) => !inside.has(name)))];
}

/** Paths below an index, any of which shows that it has a name. */
const pathsOf: Readonly<Record<UpstreamProtocol, (name: string) => readonly string[]>> = {
  'npm-registry': (name) => [packagePath(name)],
  'python-index': (name) => [`${normaliseName(name)}/`],
  'crate-registry': (name) => [indexPath(name)],
  'go-proxy': (name) => [`${escapePath(name)}/@v/list`],
  'maven-layout': (name) => {
    const coordinates = coordinatesOf(name, '0');
    if (coordinates === null) return [];
    return [`${artifactFolder(coordinates)}maven-metadata.xml`, artifactFolder(coordinates)];
  },
};

/** Which of these names are nowhere where a client looks. A server that answers anything but 404 may have them. */
export async function missingNames(
  { offer, credential, upstream }: Wanted,
  names: readonly string[],
): Promise<string[]> {
  const { speaks } = offer.config;
  const protocol = protocolDefinitions[speaks].upstream;
  if (protocol === null) return [];
  const places = [
    { url: offer.url.replace(/\/*$/, '/'), headers: authorizationHeaders(speaks, credential) },
    ...(upstream === null ? [] : [{ url: upstream, headers: {} }]),
  ];
  const missing: string[] = [];
  for (const name of names) {
    const urls = places.flatMap(({ url, headers }) =>
      pathsOf[protocol](name).map((below) => ({ url: url + below, headers })),
    );
    let isMissing = urls.length > 0;
    for (const { url, headers } of urls) {
      if (isMissing) isMissing = await isAbsent(url, headers);
    }
    if (isMissing) missing.push(name);
  }
  return missing;
}

async function isAbsent(url: string, headers: Readonly<Record<string, string>>): Promise<boolean> {
  const answer = await send({ method: 'GET', url, headers });
  await drain(answer);
  return answer.status === 404 || answer.status === 410;
}

/**
 * Gives a client that looks names up at one place only, such as npm, one place for two. Names of the workspace come from the
 * destination alone, others from there first.
 * @param folder for the files of the server. @returns what is to be installed now, and how to stop the server.
 */
export async function withUpstream(
  context: Context,
  wanted: Wanted,
  { folder, inside }: { readonly folder: string; readonly inside: ReadonlySet<string> },
): Promise<{ readonly wanted: Wanted; readonly close: () => Promise<void> }> {
  const { offer, credential, upstream } = wanted;
  const { speaks } = offer.config;
  if (upstream === null || !isServed(speaks) || clientFor(speaks).takesSecondPlace)
    return { wanted, close: async () => {} };
  const secret = randomBytes(18).toString('hex');
  context.secrets.add(secret);
  const headers = authorizationHeaders(speaks, credential);
  const both: Upstream[] = [
    { url: offer.url.replace(/\/*$/, '/'), headers },
    { url: upstream, without: inside },
  ];
  const standin = await startStandin({
    port: 0,
    store: path.join(folder, 'registry'),
    tokens: [{ secret, may: 'read', user: 'visitor', only: null }],
    now: context.now,
    isPrivate: true,
    speaks: [speaks],
    upstream: { [speaks]: both },
  });
  return {
    wanted: {
      offer: { ...offer, url: protocolDefinitions[speaks].standinUrl(standin.urlFor(speaks), null) },
      credential: { type: 'token', secret },
      upstream,
      moved: wanted.moved,
      files: { url: offer.url, credential },
    },
    close: standin.close,
  };
}
