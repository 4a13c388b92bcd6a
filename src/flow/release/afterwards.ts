import { execa } from 'execa';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { cleanLines } from '../../core/text/clean.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { type Context, warn } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Workspace } from '../workspace/workspace.ts';

/**
 * Runs the commands of `afterwards`, each once per release with its release.json on standard input. Nobody can be asked
 * whether one that was begun came to its end, so it is told, and run again only where that was asked for.
 * @returns the error for those that failed; the release stays what it is.
 */
export async function runAfterwards(
  context: Context,
  {
    run: { journal, id },
    workspace: { config, repository },
    releases,
    again,
  }: {
    readonly run: Run;
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly again: boolean;
  },
): Promise<BevelstoneError | null> {
  const failed: string[] = [];
  const env = withoutCredentials(context.env, config) as Record<string, string>;
  for (const [index, line] of config.afterwards.entries()) {
    for (const { record } of releases) {
      const key = `${index} ${record.package}@${record.version}`;
      if (journal.isDone('afterwards', key)) continue;
      const what = `${line} for ${record.package} ${record.version}`;
      if (journal.isMeant('afterwards', key) && !again) {
        warn(
          context,
          `${what} was begun and nobody knows how it ended; to run it again: release --resume ${id} --again`,
        );
        failed.push(`${what} may have run already`);
        continue;
      }
      journal.append({ step: 'afterwards', key, phase: 'intent' });
      faultPoint('afterwards', key, 'before');
      context.report({ type: 'started', what });
      const { exitCode, all } = await execa(line, {
        shell: true,
        cwd: repository.root,
        env,
        extendEnv: false,
        input: `${JSON.stringify(record, null, 2)}\n`,
        all: true,
        reject: false,
      });
      faultPoint('afterwards', key, 'after-effect');
      if (exitCode === 0) {
        journal.append({ step: 'afterwards', key, phase: 'done' });
        context.report({ type: 'finished', what });
        faultPoint('afterwards', key, 'after-done');
        continue;
      }
      journal.append({ step: 'afterwards', key, phase: 'failed' });
      context.report({ type: 'failed', what, why: `it ended with ${exitCode ?? 'a signal'}` });
      failed.push(
        `${what}: ${cleanLines(String(all ?? ''))
          .trim()
          .split('\n')
          .slice(-3)
          .join(' / ')}`,
      );
    }
  }
  if (failed.length === 0) return null;
  return new BevelstoneError('AFTERWARDS_FAILED', {
    message: 'Released; what was to follow did not all work',
    why: failed.join('\n'),
    fix: `Everything is delivered. To run what failed again: bevelstone release --resume ${id} --again; to leave it at that: bevelstone release --abandon`,
    resume: id,
  });
}
