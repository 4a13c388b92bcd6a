import type { Build, BuildOptions } from '../../flow/build.ts';
import { type Command, optionalText } from '../command.ts';
import { buildJson, renderBuild } from '../view/build.ts';

/** `bevelstone build`. */
export const build: Command<BuildOptions, Build> = {
  options: (yargs) => yargs.option('at', { type: 'string', describe: 'Build this commit instead of HEAD' }),
  examples: [
    ['build', 'Build everything that has something to release'],
    ['build -p gauges', 'Only one package'],
    ['build --at tidemark/1.3.0', 'Build a past release again'],
  ],
  parse: (raw) => ({ at: optionalText(raw, 'at') }),
  run: async (options, context) => {
    const { buildWorkspace } = await import('../../flow/build.ts');
    return { result: await buildWorkspace(context, options) };
  },
  render: renderBuild,
  toJson: buildJson,
};
