import type { Build } from '../../flow/build/build.ts';
import { type Command, textList } from '../command.ts';
import { buildJson, renderBuild } from '../view/build.ts';

/** `bevelstone gather DIR…`. */
export const gather: Command<{ folders: readonly string[] }, Build> = {
  options: (yargs) =>
    yargs.positional('folders', {
      type: 'string',
      array: true,
      describe: 'Output folders of all machines, including this one',
    }),
  examples: [['gather bevelstone-out ../from-arm/bevelstone-out', 'Put the parts of two machines together']],
  parse: (raw) => ({ folders: textList(raw, 'folders') }),
  run: async ({ folders }, context) => {
    const flow = await import('../../flow/build/gather.ts');
    return { result: await flow.gather(context, folders) };
  },
  render: renderBuild,
  toJson: buildJson,
};
