import type { SbomView } from '../../flow/sbom/sbom-check.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSbom, sbomViewJson } from '../view/sbom.ts';

type Arguments = { readonly file: string; readonly against: string | null };

/** `bevelstone sbom show FILE`. */
export const sbomShow: Command<Arguments, SbomView> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'SPDX 2.3 or CycloneDX 1.6 in JSON' })
      .option('against', { type: 'string', describe: 'SBOM of another release, to see what changed' }),
  examples: [
    ['sbom show tidemark-1.4.0.spdx.json', 'What is in it, under which licences'],
    ['sbom show tidemark-1.4.0.spdx.json --against tidemark-1.3.2.spdx.json', 'What changed since'],
  ],
  parse: (raw) => ({ file: optionalText(raw, 'file') ?? '', against: optionalText(raw, 'against') }),
  run: async ({ file, against }, context) => {
    const { showSbom } = await import('../../flow/sbom/sbom-check.ts');
    return { result: await showSbom(context, file, against) };
  },
  render: renderSbom,
  toJson: sbomViewJson,
};
