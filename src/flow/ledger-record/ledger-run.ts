import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { pushLedger, uniteWithRemote } from '../../world/git/ledger-store.ts';
import { checkIdentity, type Repository } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import { newRunId } from '../run/run.ts';
import { localReleases } from './ledger.ts';
import { LedgerWriter } from './ledger-writer.ts';

/** One run of a command that records what it does. */
export type LedgerRun = {
  readonly run: string;
  readonly writer: LedgerWriter;
  /** What was on record when it began. */
  readonly known: readonly LedgerRelease[];
  /** Writes what was added, here and on the remote; that it could not be pushed is a warning. */
  readonly record: (message: string) => Promise<void>;
};

/** Begins a run: the remote's ledger is united with ours first. */
export async function beginLedgerRun(
  context: Context,
  repository: Repository,
  remote: string | null,
): Promise<LedgerRun> {
  const run = newRunId(context.now());
  // What has happened must be recorded even when the person has asked to stop.
  const lasting: Repository = { ...repository, place: { folder: repository.place.folder, env: repository.place.env } };
  const writer = new LedgerWriter(context, lasting, run);
  if (remote !== null) await uniteWithRemote(repository, remote);
  const known = await localReleases(context, repository);
  const record = async (message: string) => {
    if (!(await hasIdentity(lasting)))
      return warn(context, 'git has no identity for commits, so the ledger was not written');
    if (!(await writer.flush(message)) || remote === null) return;
    try {
      await pushLedger(lasting, remote, []);
    } catch (error) {
      if (!isBevelstoneError(error, 'REMOTE_REFUSED', 'LEDGER_CONTENDED')) throw error;
      warn(context, `the ledger was written locally but could not be pushed to ${remote}: ${error.why}`);
    }
  };
  return { run, writer, known, record };
}

async function hasIdentity({ place }: Repository): Promise<boolean> {
  try {
    await checkIdentity(place);
    return true;
  } catch (error) {
    if (isBevelstoneError(error, 'IDENTITY_MISSING')) return false;
    throw error;
  }
}
