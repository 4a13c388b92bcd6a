import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Build, BuildOptions } from '../../flow/build/build.ts';
import type { BuildFromOptions, BuiltFrom } from '../../flow/build/build-from.ts';
import type { PartialBuild, PartialOptions } from '../../flow/partial/build-partial.ts';
import { type Command, optionalText, type RawArguments, textList } from '../command.ts';
import { buildJson, renderBuild, renderFromPlan } from '../view/build.ts';
import { partialsJson, renderPartials } from '../view/partial.ts';

type BuildArguments = BuildOptions & {
  readonly from: BuildFromOptions | null;
  /** Store that gets the result; null for none. */
  readonly sendBuilt: string | null;
  /** For an archive with only some changes. */
  readonly partial: PartialOptions | null;
};

/** `bevelstone build`. */
export const build: Command<BuildArguments, Build | BuiltFrom | PartialBuild> = {
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
      .option('from', { type: 'string', nargs: 1, describe: 'Build from this source archive, a path or an address' })
      .option('sha256', { type: 'string', nargs: 1, describe: 'With --from: what its SHA-256 has to be' })
      .option('to', { type: 'string', nargs: 1, describe: 'With --from: folder for the result' })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'With --from: do not ask before its steps run' })
      .option('send-built', {
        type: 'string',
        nargs: 1,
        describe: 'Send the result to this store, for `gather --from` on another machine',
      })
      .option('changed-by', {
        type: 'string',
        nargs: 1,
        describe: 'Make an archive with only what these changes touch: issue:12,issue:15, commits, or A..B',
      })
      .option('base', { type: 'string', nargs: 1, describe: 'With --changed-by: the version it is put on' })
      .option('add', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'With --changed-by: this path goes in too; may be repeated',
      })
      .option('leave-out', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'With --changed-by: this path stays out; may be repeated',
      })
      .conflicts('changed-by', ['list', 'twice', 'uncommitted', 'send-built', 'from', 'platform'])
      .implies({ base: 'changed-by', add: 'changed-by', 'leave-out': 'changed-by' })
      .conflicts('uncommitted', ['at', 'send-built'])
      .conflicts('list', ['twice', 'send-built'])
      .conflicts('from', ['at', 'list', 'twice', 'uncommitted', 'jobs', 'send-built'])
      .implies({ sha256: 'from', to: 'from', yes: 'from' }),
  examples: [
    ['build', 'Build every package that has changes to release'],
    ['build --list -p gauges', 'What one package would ship'],
    ['build --twice', 'Check that the build is reproducible'],
    ['build --at tidemark/1.3.0', 'Rebuild a past release'],
    ['build --at 3f2c9e1 --platform linux-x64 --send-built archive', 'Build one platform for another machine'],
    ['build --changed-by issue:12 -p harmonics', 'An archive with only what issue 12 changed since the last release'],
    ['build --from harmonics-0.9.5-source.tar.gz', 'Build a release from its sources, without its repository'],
  ],
  parse: (raw) => ({
    at: optionalText(raw, 'at'),
    list: raw['list'] === true,
    platforms: textList(raw, 'platform'),
    jobs: raw['jobs'] === undefined ? null : countOf(raw['jobs']),
    twice: raw['twice'] === true,
    uncommitted: raw['uncommitted'] === true,
    from: fromOf(raw),
    sendBuilt: optionalText(raw, 'sendBuilt'),
    partial: partialOf(raw),
  }),
  run: async ({ from, sendBuilt, partial, ...options }, context, { ask, screen }) => {
    if (partial !== null) {
      const { buildPartial } = await import('../../flow/partial/build-partial.ts');
      return { result: await buildPartial(context, partial) };
    }
    if (from !== null) {
      const { buildFrom } = await import('../../flow/build/build-from.ts');
      const result = await buildFrom(context, from, (plan) =>
        ask({ shown: renderFromPlan(plan, screen), question: 'Run these steps?' }),
      );
      return { result };
    }
    const { buildWorkspace, differenceError } = await import('../../flow/build/build.ts');
    const result = await buildWorkspace(context, options);
    const error = differenceError(result);
    if (sendBuilt === null || error !== null) return { result, error };
    const sender = await import('../../flow/build/send-built.ts');
    return { result: { ...result, sent: await sender.sendBuilt(context, result, sendBuilt) } };
  },
  render: (result, screen) => ('partials' in result ? renderPartials(result, screen) : renderBuild(result, screen)),
  toJson: (result) => ('partials' in result ? partialsJson(result) : buildJson(result)),
};

function partialOf(raw: RawArguments): PartialOptions | null {
  const changedBy = optionalText(raw, 'changedBy');
  if (changedBy === null) return null;
  return {
    changedBy,
    at: optionalText(raw, 'at'),
    base: optionalText(raw, 'base'),
    add: textList(raw, 'add'),
    leaveOut: textList(raw, 'leaveOut'),
  };
}

function fromOf(raw: RawArguments): BuildFromOptions | null {
  const source = optionalText(raw, 'from');
  const sha256 = optionalText(raw, 'sha256')?.toLowerCase() ?? null;
  if (source === null) return null;
  if (sha256 === null || /^[0-9a-f]{64}$/.test(sha256))
    return { source, sha256, to: optionalText(raw, 'to'), platforms: textList(raw, 'platform') };
  throw new BevelstoneError('USAGE', {
    message: 'invalid value for --sha256: expected 64 hexadecimal digits',
    why: 'it is compared with the SHA-256 of the archive',
    fix: 'Copy it from where the archive was named to you',
  });
}

function countOf(given: unknown): number {
  if (typeof given === 'number' && Number.isInteger(given) && given > 0) return given;
  throw new BevelstoneError('USAGE', {
    message: 'invalid value for --jobs: expected a whole number, 1 or more',
    why: 'it is how many packages are built at the same time',
    fix: 'Write for example: --jobs 2',
  });
}
