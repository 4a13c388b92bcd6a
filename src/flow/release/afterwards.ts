import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import type { ReleaseRecord } from '../../core/record/release-record.ts';
import { cleanLines } from '../../core/text/clean.ts';
import { formatDuration } from '../../core/text/duration.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { runStep, type StepEnd } from '../../world/step.ts';
import { type Context, warn } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** How long one command may take. */
const limitMs = 60 * 60_000;

type Afterwards = {
  readonly run: Run;
  readonly workspace: Workspace;
  readonly releases: readonly ReleaseFolder[];
  /** Whether commands that may have run already are run again. */
  readonly again: boolean;
};

/**
 * Runs the commands of `afterwards`, each once per release with its release.json on standard input. Whether a command that
 * was begun came to its end cannot be found out, so it is reported, and run again only where that was asked for.
 * @returns the error for those that failed; the release stays what it is.
 */
export async function runAfterwards(context: Context, afterwards: Afterwards): Promise<BevelstoneError | null> {
  const { run, workspace, releases } = afterwards;
  const failed: string[] = [];
  for (const [index, line] of workspace.config.afterwards.entries()) {
    for (const { record } of releases) {
      const failure = await runOnce(context, afterwards, { index, line, record });
      if (failure !== null) failed.push(failure);
    }
  }
  if (failed.length === 0) return null;
  return new BevelstoneError('AFTERWARDS_FAILED', {
    message: `released, but ${failed.length} of ${workspace.config.afterwards.length * releases.length} commands of "afterwards" failed`,
    why: failed.join('\n'),
    fix: `All artifacts are uploaded. To retry the failed commands: bevelstone release --resume ${run.id} --again. To skip them: bevelstone release --abandon`,
    resume: run.id,
  });
}

type Command = { readonly index: number; readonly line: string; readonly record: ReleaseRecord };

/** @returns what went wrong, null when nothing did. */
async function runOnce(
  context: Context,
  { run: { journal, id }, workspace: { config, repository }, again }: Afterwards,
  { index, line, record }: Command,
): Promise<string | null> {
  const key = `${index} ${record.package}@${record.version}`;
  if (journal.isDone('afterwards', key)) return null;
  const what = `${line} for ${record.package} ${record.version}`;
  if (journal.isMeant('afterwards', key) && !again) {
    warn(context, `${what} was started, but its result is unknown. To run it again: release --resume ${id} --again`);
    return `${what} may have run already`;
  }
  journal.append({ step: 'afterwards', key, phase: 'intent' });
  faultPoint('afterwards', key, 'before');
  context.report({ type: 'started', what });
  const name = [fileNameOf(record.package), record.version, 'afterwards', index + 1].join('-');
  const log = path.join(repository.commonFolder, 'bevelstone', 'logs', `${name}.log`);
  const end = await runStep({
    run: line,
    folder: repository.root,
    env: withoutCredentials(context.env, config) as Record<string, string>,
    log,
    signal: context.signal,
    timeoutMs: limitMs,
    input: `${JSON.stringify(record, null, 2)}\n`,
  });
  faultPoint('afterwards', key, 'after-effect');
  if (end.exitCode === 0 && !end.isLate) {
    journal.append({ step: 'afterwards', key, phase: 'done' });
    context.report({ type: 'finished', what });
    faultPoint('afterwards', key, 'after-done');
    return null;
  }
  journal.append({ step: 'afterwards', key, phase: 'failed' });
  context.report({ type: 'failed', what, why: `it ${howItEnded(end)}; log: ${log}` });
  return `${what}: ${cleanLines(end.tail.join('\n')).trim().split('\n').slice(-3).join(' / ') || `it ${howItEnded(end)}`}`;
}

function howItEnded({ exitCode, isLate }: StepEnd): string {
  if (isLate) return `took longer than ${formatDuration(limitMs)}`;
  return `ended with ${exitCode ?? 'a signal'}`;
}
