import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Build } from '../../flow/build/build.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { buildJson, renderBuild } from '../view/build.ts';

type GatherArguments = {
  readonly folders: readonly string[];
  readonly from: string | null;
  readonly at: string | null;
};

/** `bevelstone gather DIR…`. */
export const gather: Command<GatherArguments, Build> = {
  options: (yargs) =>
    yargs
      .positional('folders', {
        type: 'string',
        array: true,
        describe: 'Output folders of all machines, including this one',
      })
      .option('from', { type: 'string', nargs: 1, describe: 'Store that other machines sent their builds to' })
      .option('at', { type: 'string', nargs: 1, describe: 'With --from: the commit that was built, instead of HEAD' })
      .implies('at', 'from'),
  examples: [
    ['gather bevelstone-out ../from-arm/bevelstone-out', 'Put the parts of two machines together'],
    ['gather --from archive --at 3f2c9e1', 'Fetch and join what machines sent with build --send-built archive'],
  ],
  parse: (raw) => {
    const folders = textList(raw, 'folders');
    const from = optionalText(raw, 'from');
    if (folders.length > 0 || from !== null) return { folders, from, at: optionalText(raw, 'at') };
    throw new BevelstoneError('USAGE', {
      message: 'missing argument: gather DIR… or gather --from STORE',
      why: 'it does not say where the parts are',
      fix: 'Name output folders, or a store of bevelstone.yaml',
    });
  },
  run: async ({ folders, from, at }, context) => {
    if (from !== null) {
      const flow = await import('../../flow/build/gather-from.ts');
      return { result: await flow.gatherFrom(context, { folders, from, at }) };
    }
    const flow = await import('../../flow/build/gather.ts');
    return { result: await flow.gather(context, folders) };
  },
  render: renderBuild,
  toJson: buildJson,
};
