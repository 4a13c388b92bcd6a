import type { Trace } from '../../flow/ledger/ledger-trace.ts';
import { type Command, optionalText } from '../command.ts';
import { renderTrace, traceJson } from '../view/ledger-trace.ts';

/** `bevelstone ledger trace WHAT`. */
export const ledgerTrace: Command<{ what: string }, Trace> = {
  options: (yargs) =>
    yargs.positional('what', { type: 'string', describe: 'A file, a SHA-256, a commit, or issue:12' }),
  examples: [
    ['ledger trace node_modules/tidemark/node.js', 'Which release a file came from, and from which commit'],
    ['ledger trace issue:12', 'Which release has it first'],
    ['ledger trace 3f2c9e1', 'The same of a commit'],
  ],
  parse: (raw) => ({ what: optionalText(raw, 'what') ?? '' }),
  run: async ({ what }, context) => {
    const { trace } = await import('../../flow/ledger/ledger-trace.ts');
    return { result: await trace(context, what) };
  },
  render: renderTrace,
  toJson: traceJson,
};
