import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { parseDuration } from '../../core/text/duration.ts';
import type { Confirmed, ConfirmOptions } from '../../flow/trial/confirm.ts';
import { type Command, optionalText } from '../command.ts';
import { renderConfirmed, triedJson } from '../view/trial.ts';

/** `bevelstone confirm`. */
export const confirm: Command<ConfirmOptions, Confirmed> = {
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', describe: 'PACKAGE@VERSION; by default the newest of each package' })
      .option('within', { type: 'string', default: '10 min', describe: 'How long to wait at each destination' }),
  examples: [
    ['confirm', 'Check that everyone can install the newest release of every package'],
    ['confirm tidemark@1.4.0 --within "30 min"', 'Wait longer; works in any clone'],
  ],
  parse: (raw) => ({ release: optionalText(raw, 'release'), withinMs: durationOf(String(raw['within'])) }),
  run: async (options, context) => {
    const flow = await import('../../flow/trial/confirm.ts');
    const result = await flow.confirmReleases(context, options);
    return { result, error: result.error };
  },
  render: renderConfirmed,
  toJson: triedJson,
};

function durationOf(text: string): number {
  const found = parseDuration(text);
  if (found !== null) return found;
  throw new BevelstoneError('USAGE', {
    message: `invalid duration "${text}"`,
    why: '--within needs a number and a unit',
    fix: 'Write for example: --within "90 s", --within "10 min"',
  });
}
