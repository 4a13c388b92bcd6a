import { isDeepStrictEqual } from 'node:util';
import type { Config, DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Repository } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { resolveUrl } from '../workspace/resolve-url.ts';
import { noteUncommitted, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import type { RunLedger } from './run-ledger.ts';

/** A destination whose configuration was changed since the release was begun: where it was, and where it is now. */
export type MovedDestination = { readonly destination: string; readonly from: string; readonly to: string };

/** Shows the changes and asks; throws when the answer is no. */
export type AskMoved = (moved: readonly MovedDestination[]) => Promise<void>;

/**
 * The workspace of a release that is resumed, with the destinations of the working tree: a wrong address or credential in the
 * released commit can be corrected only there. Everything else stays as it was released.
 * @throws CONFIG_MOVED when more than that differs.
 */
export async function withMovedDestinations(
  context: Context,
  {
    repository,
    workspace,
    releases,
    ledger,
    ask,
  }: {
    readonly repository: Repository;
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly ledger: RunLedger;
    readonly ask: AskMoved;
  },
): Promise<Workspace> {
  const [first] = releases;
  if (first === undefined) return workspace;
  const now = await workingConfig(context, repository, first.record.commit);
  if (now === null) return workspace;
  const before = workspace.config;
  const used = new Set(releases.flatMap(({ record }) => before.packages[record.package]?.['send-to'] ?? []));
  const changed = [...used].filter((name) => !isDeepStrictEqual(before.destinations[name], now.destinations[name]));
  if (changed.length === 0) {
    const committed = new Map([['bevelstone.yaml', workspace.configText]]);
    await noteUncommitted(context, { repository, commit: first.record.commit, committed });
    return workspace;
  }
  const others = (Object.keys(before) as (keyof Config)[]).filter(
    (key) => key !== 'destinations' && !isDeepStrictEqual(before[key], now[key]),
  );
  const gone = changed.filter((name) => now.destinations[name] === undefined);
  if (others.length > 0 || gone.length > 0)
    throw moreChanged(changed, [...others, ...gone.map((name) => `destinations.${name} (gone)`)]);
  const moved = changed.map((destination) => ({
    destination,
    from: addressOf(context, destination, before.destinations[destination]),
    to: addressOf(context, destination, now.destinations[destination]),
  }));
  await ask(moved);
  for (const { destination, from, to } of moved.filter((one) => one.from !== one.to))
    for (const { record } of releases)
      ledger.add({ type: 'redirected', package: record.package, version: record.version, destination, from, to });
  return { ...workspace, config: { ...before, destinations: now.destinations } };
}

/** The configuration of the working tree; null where it cannot be read, which is said. */
async function workingConfig(context: Context, repository: Repository, commit: string): Promise<Config | null> {
  try {
    return (await readWorkspace(context, { repository, commit, source: 'working-folder' })).config;
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    warn(
      context,
      `bevelstone.yaml of the working tree cannot be used (${error.message}); this uses that of the release`,
    );
    return null;
  }
}

/** Its address as it is written where it cannot be looked up. */
function addressOf(context: Context, name: string, config: DestinationConfig | undefined): string {
  if (config === undefined) return 'nowhere';
  try {
    return resolveUrl(context, name, config.url);
  } catch {
    return config.url;
  }
}

function moreChanged(destinations: readonly string[], others: readonly string[]): BevelstoneError {
  return new BevelstoneError('CONFIG_MOVED', {
    message: `bevelstone.yaml differs from that of the release in more than destinations: ${others.join(', ')}`,
    why: `${destinations.map((name) => `destinations.${name}`).join(', ')} ${destinations.length === 1 ? 'has' : 'have'} changed too; a release that is resumed may go to other destinations, and is otherwise what was built and tagged`,
    fix: `Restore ${others.join(', ')} in bevelstone.yaml, then run: bevelstone release --resume`,
    where: { file: 'bevelstone.yaml' },
  });
}
