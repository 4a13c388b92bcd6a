import type { SbomMerge } from '../../flow/sbom/sbom-check.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderMerge } from '../view/sbom.ts';

type Arguments = { readonly files: readonly string[]; readonly to: string };

/** `bevelstone sbom merge A B… --to FILE`. */
export const sbomMerge: Command<Arguments, SbomMerge> = {
  options: (yargs) =>
    yargs
      .positional('files', { type: 'string', array: true, describe: 'SBOMs to merge, of either format' })
      .option('to', { type: 'string', demandOption: true, describe: 'File to write; its name determines the format' }),
  examples: [['sbom merge tidemark.spdx.json gauges.spdx.json --to all.spdx.json', 'One SBOM for both packages']],
  parse: (raw) => ({ files: textList(raw, 'files'), to: optionalText(raw, 'to') ?? '' }),
  run: async ({ files, to }, context) => {
    const { mergeSbomFiles } = await import('../../flow/sbom/sbom-check.ts');
    return { result: await mergeSbomFiles(context, files, to) };
  },
  render: renderMerge,
  toJson: (result) => result,
};
