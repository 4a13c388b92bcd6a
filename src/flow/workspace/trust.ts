import path from 'node:path';
import type { DestinationConfig } from '../../core/config/config.ts';
import { originOf } from '../../core/config/origin.ts';
import { trustedReferences } from '../../core/config/secret-references.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isRemote } from '../../core/name/protocol.ts';
import { configuredOrigins } from '../../core/protocol/configured-origins.ts';
import type { Agreement } from '../../core/record/agreements.ts';
import { realPath } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { homeFolder } from '../../world/platform.ts';
import { keepAgreements, readAgreements } from '../../world/trust-store.ts';
import type { Context } from '../context.ts';
import { resolveUrl } from './resolve-url.ts';
import type { Workspace } from './workspace.ts';

/** A credential that would go to an origin because a configuration says so. */
type Need = Agreement & { readonly destination: string };

/** Where a workspace is: what relative paths start from, and what names it for good. */
export type WorkspacePlace = Pick<Repository, 'root' | 'commonFolder'>;

/** Answers of this run of the program, by their key. */
const given = new WeakMap<ReadonlySet<string>, Set<string>>();

/**
 * Makes sure, before any request, that each credential may go where the configuration sends it: anyone who writes a
 * configuration could name any variable, any file and any address.
 * @param names of destinations that will be used.
 * @throws TRUST_NEEDED when there is no agreement and no terminal to ask on.
 */
export async function ensureTrust(
  context: Context,
  { config, repository }: Workspace,
  names: Iterable<string>,
): Promise<void> {
  const destinations = [...new Set(names)].flatMap((name) => {
    const found = config.destinations[name];
    return found === undefined ? [] : [{ name, config: found }];
  });
  await ensureTrustOf(context, repository, destinations);
}

/** The same for destinations wherever they are configured. */
export async function ensureTrustOf(
  context: Context,
  repository: WorkspacePlace,
  destinations: readonly { readonly name: string; readonly config: DestinationConfig }[],
): Promise<void> {
  if (context.trust.isConfigTrusted) return;
  const known = given.get(context.secrets) ?? new Set<string>();
  given.set(context.secrets, known);
  const needs = (
    await Promise.all(
      destinations.map((destination) =>
        needsOf(context, { workspacePlace: repository, name: destination.name, config: destination.config }),
      ),
    )
  ).flat();
  const fresh = needs.filter((need) => !known.has(keyOf(need)) && !trustedByVariable(context).has(need.origin));
  if (fresh.length === 0) return;
  const agreed = new Set((await readAgreements(context.env)).map(keyOf));
  const open = uniqueNeeds(fresh.filter((need) => !agreed.has(keyOf(need))));
  if (open.length > 0) await askAll(context, open);
  for (const need of fresh) known.add(keyOf(need));
}

/** The origins that a destination's credential may be sent to. */
export function originsFor(context: Context, name: string, config: DestinationConfig): ReadonlySet<string> {
  const index = config['index-url'];
  return configuredOrigins(config, [
    resolveUrl(context, name, config.url),
    index === null ? null : resolveUrl(context, name, index),
  ]);
}

async function needsOf(
  context: Context,
  {
    workspacePlace: { root, commonFolder },
    name,
    config,
  }: { readonly workspacePlace: WorkspacePlace; readonly name: string; readonly config: DestinationConfig },
): Promise<Need[]> {
  if (!isRemote(config)) return [];
  const references: string[] = [];
  for (const reference of trustedReferences(config)) if (!(await isNearby(reference, root))) references.push(reference);
  if (references.length === 0) return [];
  const workspace = await realPath(commonFolder);
  return [...originsFor(context, name, config)].flatMap((origin) =>
    references.map((reference) => ({ workspace, origin, reference, destination: name })),
  );
}

/**
 * A file in the repository or in its parent folder is the workspace's own; everything else is the user's. Where the parent
 * holds the user's whole home, and in hidden folders, a file is the user's too.
 */
async function isNearby(reference: string, root: string): Promise<boolean> {
  if (!reference.startsWith('file:')) return false;
  const named = reference.slice('file:'.length);
  const place = named.startsWith('~/') ? path.join(homeFolder(), named.slice(2)) : path.resolve(root, named);
  const realRoot = await realPath(root);
  const real = await realPath(place).catch(() => place);
  if (real.startsWith(realRoot + path.sep)) return true;
  const parent = path.dirname(realRoot);
  const home = await realPath(homeFolder()).catch(() => homeFolder());
  const holdsHome = parent === path.parse(parent).root || `${home}${path.sep}`.startsWith(`${parent}${path.sep}`);
  if (holdsHome || !real.startsWith(parent + path.sep)) return false;
  return !path
    .relative(parent, real)
    .split(path.sep)
    .some((part) => part.startsWith('.'));
}

async function askAll(context: Context, open: readonly Need[]): Promise<void> {
  const { ask } = context.trust;
  if (ask === null) throw trustNeeded(context, open);
  for (const { reference, origin, destination } of open) {
    const isAgreed = await ask(`Send ${reference} to ${origin} (${destination}) for the first time?`);
    if (!isAgreed) throw trustNeeded(context, open);
  }
  const agreements = open.map(({ workspace, origin, reference }) => ({ workspace, origin, reference }));
  await keepAgreements(agreements, context.env);
}

/** Origins in `BEVELSTONE_TRUST`, for machines without a terminal. */
function trustedByVariable({ env }: Context): ReadonlySet<string> {
  return new Set((env['BEVELSTONE_TRUST'] ?? '').split(',').flatMap((text) => originOf(text.trim()) ?? []));
}

function uniqueNeeds(needs: readonly Need[]): Need[] {
  return [...new Map(needs.map((need) => [keyOf(need), need])).values()];
}

function keyOf({ workspace, origin, reference }: Agreement): string {
  return `${workspace}\n${origin}\n${reference}`;
}

function trustNeeded({ env }: Context, open: readonly Need[]): BevelstoneError {
  const origins = [...new Set(open.map(({ origin }) => origin))];
  const named = (env['BEVELSTONE_TRUST'] ?? '').split(',').filter((text) => text.trim() !== '');
  const isMisspelt = named.some((text) => originOf(text.trim()) === null);
  return new BevelstoneError('TRUST_NEEDED', {
    message: `not confirmed yet: sending ${open.length === 1 ? 'a credential' : `${open.length} credentials`} to ${origins.join(', ')}`,
    why: [
      ...open.map(
        ({ reference, origin, destination }) => `destination ${destination} would send ${reference} to ${origin}`,
      ),
      ...(isMisspelt
        ? ['a part of BEVELSTONE_TRUST does not begin with http:// or https://, so it names no origin']
        : []),
    ].join('\n'),
    fix: `To allow it, run the command in a terminal and answer yes, or set BEVELSTONE_TRUST=${origins.join(',')} for it. To trust the whole configuration: --trust-config`,
    where: { file: 'bevelstone.yaml' },
  });
}
