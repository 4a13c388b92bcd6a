import type { Argv } from 'yargs';
import { type Weight, weights } from '../../core/version/weight.ts';
import type { SurveyOptions } from '../../flow/survey/survey.ts';
import { optionalText, type RawArguments } from '../command.ts';

/** What a person may say against the calculation. */
export type Overrides = Pick<SurveyOptions, 'branch' | 'stream' | 'exactly' | 'raise' | 'because'>;

/** Options of every command that works out versions. */
export function overrideOptions(yargs: Argv): Argv {
  return yargs
    .option('branch', { type: 'string', describe: 'Act as if on this branch' })
    .option('stream', { type: 'string', describe: 'Use this stream of bevelstone.yaml' })
    .option('exactly', { type: 'string', describe: 'Release exactly this version (one package or group)' })
    .option('raise', {
      choices: weights.filter((weight) => weight !== 'none'),
      describe: 'Raise the version by at least this weight',
    })
    .option('because', { type: 'string', describe: 'Reason, stored in the ledger' });
}

/** The same as values. */
export function parseOverrides(raw: RawArguments): Overrides {
  return {
    branch: optionalText(raw, 'branch'),
    stream: optionalText(raw, 'stream'),
    exactly: optionalText(raw, 'exactly'),
    raise: (raw['raise'] as Weight | undefined) ?? null,
    because: optionalText(raw, 'because'),
  };
}
