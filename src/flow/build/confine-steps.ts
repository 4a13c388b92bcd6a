import path from 'node:path';
import { type Confinement, confinementHere } from '../../world/confinement.ts';
import { makeFolder } from '../../world/files.ts';
import { warn } from '../context.ts';
import type { StepPlace } from './step-place.ts';

/**
 * What the steps of a package are kept from, as far as this machine can do that; what it cannot is named as not checked. Beside the
 * checkout and the steps' own folder, they may write temporary files.
 */
export async function confineSteps(place: StepPlace): Promise<Confinement> {
  const { config, context, out, env, signal, package: name } = place;
  if (!config.offline && !config.contained) return { offline: false, writable: null };
  const top = path.dirname(out);
  await makeFolder(temporaryFor(place));
  const here = await confinementHere(top, { env: { PATH: env['PATH'] ?? '' }, signal });
  if (config.offline && here.offline !== true)
    warn(context, `${name}: not checked: its steps could use the network, which \`offline\` forbids (${here.offline})`);
  if (config.contained && here.contained !== true)
    warn(
      context,
      `${name}: not checked: its steps could write anywhere, which \`contained\` forbids (${here.contained})`,
    );
  return {
    offline: config.offline && here.offline === true,
    writable: config.contained && here.contained === true ? [top] : null,
  };
}

/** Where steps put temporary files that may not write elsewhere. */
export function temporaryFor({ out }: Pick<StepPlace, 'out'>): string {
  return path.join(path.dirname(out), 'tmp');
}
