import path from 'node:path';
import { fileNameOf } from '../../../core/form/placeholder.ts';
import { consumerLines } from '../../../core/protocol/consumer-line.ts';
import { runCommand } from '../../../world/command.ts';
import type { Client, InstalledTree } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** Clones the tag of a release, by the very consumer line. */
export const gitClient: Client = {
  name: 'git',
  installsByName: false,
  usualSeconds: 1,
  takesSecondPlace: false,
  find: async (version, env, signal) => {
    const program = await findVersion({ names: ['git'], version, env, signal });
    return program === null ? null : { version: `git ${program.version}`, program };
  },
  install: async (_tool, { folder, env, signal }, wanted) => {
    const trees: InstalledTree[] = [];
    for (const { offer } of wanted) {
      const lines = consumerLines(offer).filter(({ client }) => client === 'git');
      for (const { text } of lines) {
        const end = await runCommand({ program: 'sh', args: ['-e', '-c', text], folder, env, signal });
        if (end.type === 'missing' || end.exitCode !== 0)
          return { type: 'failed', why: end.type === 'missing' ? 'there is no shell' : lastLines(end.all) };
      }
      const place = path.join(folder, fileNameOf(`${offer.release.package}-${offer.release.version}`));
      for (const { record } of offer.delivered)
        trees.push({ type: 'folder', artifact: record.file, folder: place, prefix: null });
    }
    return { type: 'installed', env: {}, trees, isInstalled: false };
  },
};
