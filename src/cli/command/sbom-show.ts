import type { SbomQuestion, SbomView } from '../../flow/sbom/sbom-check.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSbom, sbomViewJson } from '../view/sbom.ts';

/** `bevelstone sbom show FILE`. */
export const sbomShow: Command<SbomQuestion, SbomView> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'SPDX or CycloneDX in JSON' })
      .option('against', { type: 'string', describe: 'SBOM of another release, to see what changed' })
      .option('page', { type: 'string', describe: 'Write it to this file, as HTML' }),
  examples: [
    ['sbom show tidemark-1.4.0.spdx.json', 'What is in it, under which licences'],
    ['sbom show tidemark-1.4.0.spdx.json --against tidemark-1.3.2.spdx.json', 'What changed since'],
    ['sbom show tidemark-1.4.0.spdx.json --page sbom.html', 'The same as a page'],
  ],
  parse: (raw) => ({
    file: optionalText(raw, 'file') ?? '',
    against: optionalText(raw, 'against'),
    page: optionalText(raw, 'page'),
  }),
  run: async (question, context) => {
    const { showSbom } = await import('../../flow/sbom/sbom-check.ts');
    return { result: await showSbom(context, question) };
  },
  render: renderSbom,
  toJson: sbomViewJson,
};
