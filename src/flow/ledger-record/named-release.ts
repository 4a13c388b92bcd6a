import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { isPackageName, isVersionText } from '../../core/record/schema.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { findRelease } from '../release-folder/recorded-release.ts';
import { readLedger } from './ledger.ts';

/**
 * A release by its name, `PACKAGE@VERSION` or shorter. Where that names a folder of the ledger only this folder is read.
 * @throws RELEASE_NOT_RECORDED
 */
export async function readNamedRelease(context: Context, repository: Repository, text: string): Promise<LedgerRelease> {
  const at = text.lastIndexOf('@');
  const [name, version] = [text.slice(0, at), text.slice(at + 1)];
  // What can be no folder of the ledger would be a path for git.
  if (at > 0 && isPackageName(name) && isVersionText(version)) {
    const read = await readLedger(context, repository, [`${name}/${version}`]);
    const found = read.find((release) => release.package === name && release.version === version);
    if (found !== undefined) return found;
  }
  return findRelease(await readLedger(context, repository), text);
}
