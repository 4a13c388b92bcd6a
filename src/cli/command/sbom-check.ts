import type { SbomCheck } from '../../flow/sbom/sbom-check.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSbomCheck } from '../view/sbom.ts';

type Arguments = { readonly file: string; readonly against: string | null };

/** `bevelstone sbom check FILE`. */
export const sbomCheck: Command<Arguments, SbomCheck> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'SPDX or CycloneDX in JSON' })
      .option('against', { type: 'string', describe: 'Artifact or folder described by the SBOM' }),
  examples: [
    ['sbom check theirs.spdx.json', 'Does it follow its specification?'],
    ['sbom check tidemark-1.4.0.cdx.json --against tidemark-1.4.0.tgz', 'Does it tell the truth?'],
  ],
  parse: (raw) => ({ file: optionalText(raw, 'file') ?? '', against: optionalText(raw, 'against') }),
  run: async ({ file, against }, context) => {
    const flow = await import('../../flow/sbom/sbom-check.ts');
    const result = await flow.checkSbomFile(context, file, against);
    return { result, error: flow.sbomRefusal(result) };
  },
  render: renderSbomCheck,
  toJson: (result) => result,
};
