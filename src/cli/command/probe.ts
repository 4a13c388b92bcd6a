import type { Probe, ProbeOptions } from '../../flow/deliver/probe.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { probeJson, renderProbe } from '../view/probe.ts';

/** `bevelstone probe`. */
export const probe: Command<ProbeOptions, Probe> = {
  options: (yargs) =>
    yargs
      .positional('destinations', {
        type: 'string',
        array: true,
        describe: 'Destinations; by default all that are used',
      })
      .option('keep', {
        type: 'string',
        describe: 'Ask for a credential, try it, and keep it under this name if it works',
      }),
  examples: [
    ['probe', 'Every destination that packages are sent to, side by side'],
    ['probe office --keep office', 'Type or pipe in a credential, to be used as kept:office'],
  ],
  parse: (raw) => ({
    destinations: textList(raw, 'destinations'),
    keep: optionalText(raw, 'keep'),
    mayWrite: true,
    lists: true,
  }),
  run: async (options, context) => {
    const flow = await import('../../flow/deliver/probe.ts');
    const result = await flow.probeDestinations(context, options);
    return { result, error: result.error };
  },
  render: renderProbe,
  toJson: probeJson,
};
