import type { Demo } from '../../flow/demo/demo.ts';
import { type Command, optionalText } from '../command.ts';
import { demoJson, renderDemo } from '../view/demo.ts';

/** `bevelstone demo [DIR]`. */
export const demo: Command<{ to: string | null }, Demo> = {
  options: (yargs) =>
    yargs.positional('to', { type: 'string', describe: 'An empty or new folder; by default a temporary one' }),
  examples: [
    ['demo', 'See the whole way once'],
    ['demo tides', 'The same in ./tides, to play with afterwards'],
  ],
  parse: (raw) => ({ to: optionalText(raw, 'to') }),
  run: async ({ to }, context) => {
    const { runDemo } = await import('../../flow/demo/demo.ts');
    return { result: await runDemo(context, to) };
  },
  render: renderDemo,
  toJson: demoJson,
};
