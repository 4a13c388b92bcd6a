import type { SurfaceAnswer, SurfaceOptions } from '../../flow/surface/surface.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSurfaces, surfaceJson } from '../view/surface.ts';

/** `bevelstone surface [FILE|PACKAGE]`. */
export const surface: Command<SurfaceOptions, SurfaceAnswer> = {
  options: (yargs) =>
    yargs
      .positional('target', {
        type: 'string',
        describe: 'A file, a package, or PACKAGE@VERSION; without it, what was built for this commit',
      })
      .option('against', {
        type: 'string',
        describe: 'Compare with this file, with PACKAGE@VERSION, or with `last`, the last release',
      })
      .option('page', { type: 'string', describe: 'Write the answer as a page into this file' }),
  examples: [
    ['surface tidemark', 'What users of the built package can refer to'],
    ['surface tidemark --against last', 'What changed since the last release, and which version that needs'],
    ['surface new.tgz --against old.tgz --page surface.html', 'The differences of two files as a page'],
  ],
  parse: (raw) => ({
    target: optionalText(raw, 'target'),
    against: optionalText(raw, 'against'),
    page: optionalText(raw, 'page'),
  }),
  run: async (options, context) => {
    const { showSurface } = await import('../../flow/surface/surface.ts');
    return { result: await showSurface(context, options) };
  },
  render: renderSurfaces,
  toJson: surfaceJson,
};
