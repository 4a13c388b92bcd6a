import path from 'node:path';
import type { Inspection } from '../../flow/inspect.ts';
import type { Command } from '../command.ts';
import { inspectionJson, renderInspection } from '../view/inspect.ts';

/** `bevelstone inspect FILE`. */
export const inspect: Command<{ file: string }, Inspection> = {
  options: (yargs) =>
    yargs.positional('file', {
      type: 'string',
      describe: 'An npm tarball or .tar.gz archive, ours or not',
      demandOption: true,
    }),
  examples: [
    ['inspect bevelstone-out/tidemark-1.4.0/tidemark-1.4.0.tgz', 'What a user would get'],
    ['inspect theirs.tgz --json', 'Entries with modes and digests, for a program'],
  ],
  parse: (raw) => ({ file: String(raw['file']) }),
  run: async ({ file }, context) => {
    const { inspectFile } = await import('../../flow/inspect.ts');
    return { result: await inspectFile(path.resolve(context.folder, file)) };
  },
  render: renderInspection,
  toJson: inspectionJson,
};
