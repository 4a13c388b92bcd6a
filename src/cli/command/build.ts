import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Build, BuildOptions } from '../../flow/build/build.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { buildJson, renderBuild } from '../view/build.ts';

/** `bevelstone build`. */
export const build: Command<BuildOptions, Build> = {
  options: (yargs) =>
    yargs
      .option('at', { type: 'string', describe: 'Build this commit instead of HEAD' })
      .option('list', { type: 'boolean', describe: 'List what would be packed, without packing' })
      .option('platform', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: "Build for this platform instead of this machine's own; may be repeated",
      })
      .option('jobs', {
        type: 'number',
        describe: 'How many packages to build at the same time; by default one per core',
      })
      .option('twice', { type: 'boolean', describe: 'Build again in another folder and compare' })
      .option('uncommitted', {
        type: 'boolean',
        describe: 'Build the working folder with its uncommitted changes, as a preview',
      })
      .conflicts('uncommitted', 'at')
      .conflicts('list', 'twice'),
  examples: [
    ['build', 'Build every package that has changes to release'],
    ['build --list -p gauges', 'What one package would ship'],
    ['build --twice', 'Check that the build is reproducible'],
    ['build --at tidemark/1.3.0', 'Rebuild a past release'],
  ],
  parse: (raw) => ({
    at: optionalText(raw, 'at'),
    list: raw['list'] === true,
    platforms: textList(raw, 'platform'),
    jobs: raw['jobs'] === undefined ? null : countOf(raw['jobs']),
    twice: raw['twice'] === true,
    uncommitted: raw['uncommitted'] === true,
  }),
  run: async (options, context) => {
    const { buildWorkspace, differenceError } = await import('../../flow/build/build.ts');
    const result = await buildWorkspace(context, options);
    return { result, error: differenceError(result) };
  },
  render: renderBuild,
  toJson: buildJson,
};

function countOf(given: unknown): number {
  if (typeof given === 'number' && Number.isInteger(given) && given > 0) return given;
  throw new BevelstoneError('USAGE', {
    message: 'invalid value for --jobs: expected a whole number, 1 or more',
    why: 'it is how many packages are built at the same time',
    fix: 'Write for example: --jobs 2',
  });
}
