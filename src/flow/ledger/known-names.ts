import { resolveCommit } from '../../world/git/repository.ts';
import { type Context, quietly } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';

/** What a person may name that only the workspace knows. */
export type NameKind = 'package' | 'release' | 'destination' | 'stream';

/**
 * Names that a person may type here, without a network.
 * @returns releases as `PACKAGE@VERSION`, newest first.
 * @throws like `readWorkspace`
 */
export async function knownNames(context: Context, kind: NameKind): Promise<string[]> {
  const quiet = quietly(context);
  const repository = await openContext(quiet);
  if (kind === 'release') {
    const releases = await localReleases(quiet, repository);
    return releases.map(({ package: name, version }) => `${name}@${version}`);
  }
  const commit = await resolveCommit(repository.place, 'HEAD');
  const { packages, config } = await readWorkspace(quiet, { repository, commit, source: 'working-folder' });
  if (kind === 'package') return packages.map(({ name }) => name);
  return Object.keys(kind === 'stream' ? config.streams : config.destinations);
}
