import { type SbomKind, sbomKinds } from '../../core/name/form.ts';
import type { SbomOptions, SbomsWritten } from '../../flow/sbom/sbom-write.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderWritten, writtenJson } from '../view/sbom.ts';

/** `bevelstone sbom write [TARGET…]`. */
export const sbomWrite: Command<SbomOptions, SbomsWritten> = {
  options: (yargs) =>
    yargs
      .positional('targets', {
        type: 'string',
        array: true,
        describe: 'Artifacts or folders; without any, what was built for this commit',
      })
      .option('kind', {
        type: 'string',
        array: true,
        nargs: 1,
        choices: sbomKinds,
        describe: 'Formats to write; by default both',
      })
      .option('to', { type: 'string', describe: 'Folder for the SBOMs; by default next to what they describe' }),
  examples: [
    ['sbom write', 'SBOMs of everything built for this commit'],
    ['sbom write theirs.whl --kind spdx', 'An SBOM of any artifact'],
    ['sbom write vendor/tables --to /tmp', 'An SBOM of a folder'],
  ],
  parse: (raw) => ({
    targets: textList(raw, 'targets'),
    kinds: textList(raw, 'kind') as SbomKind[],
    to: optionalText(raw, 'to'),
  }),
  run: async (options, context) => {
    const { writeSboms } = await import('../../flow/sbom/sbom-write.ts');
    return { result: await writeSboms(context, options) };
  },
  render: renderWritten,
  toJson: writtenJson,
};
