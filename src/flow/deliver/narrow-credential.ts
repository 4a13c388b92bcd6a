import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Repository } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import type { Workspace } from '../workspace/workspace.ts';
import type { Shipment } from './deliver.ts';

/**
 * Tells of credentials that open more than the package they are used for, where the protocol tells. A new name can't have
 * a token of its own yet, so the first time that is said with the way to one; after that it is a warning.
 * @throws CREDENTIAL_WIDE after the first time, with `gates.narrow-credential: true`.
 */
export async function checkNarrow(
  context: Context,
  {
    repository,
    workspace: { config },
    shipments,
  }: { readonly repository: Repository; readonly workspace: Workspace; readonly shipments: readonly Shipment[] },
): Promise<void> {
  const known = await localReleases(context, repository);
  const warned = new Set<string>();
  for (const { release, destination } of shipments) {
    const { record } = release;
    const { name } = destination;
    const access = await destination
      .access(
        { packageName: record.package, name: record.name, version: record.version, spellings: record.spellings },
        { mayWrite: false, lists: false },
      )
      .catch((error: unknown) => {
        if (isBevelstoneError(error)) return null;
        throw error;
      });
    if (access?.opens !== 'more' || warned.has(`${name} ${record.package}`)) continue;
    warned.add(`${name} ${record.package}`);
    const isFirst = !known.some(
      (release) => release.package === record.package && release.deliveries.some(({ destination: at }) => at === name),
    );
    const step = `create a token for ${record.name} only, store it where \`credential\` of ${name} points, and delete the old token`;
    if (isFirst)
      context.report({
        type: 'note',
        text: `the credential for ${name} can publish other packages too, as a new package name requires; after this release, ${step}`,
      });
    else if (config.gates['narrow-credential']) throw wide(name, record.name, step);
    else warn(context, `the credential for ${name} can publish other packages too: ${step}`);
  }
}

function wide(destination: string, name: string, step: string): BevelstoneError {
  return new BevelstoneError('CREDENTIAL_WIDE', {
    message: `the credential for ${destination} can publish packages other than ${name}`,
    why: '`gates.narrow-credential` is set, and a leaked token could be used for those packages too',
    fix: `${step[0]?.toUpperCase()}${step.slice(1)}`,
  });
}
