import path from 'node:path';
import type { Config } from '../../core/config/config.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { openContext, readWorkspace } from './workspace.ts';

/** A configuration as it counts, and where it stands. */
export type ReadConfig = { readonly file: string; readonly isThere: boolean; readonly config: Config };

/** Reads the working folder's configuration with everything that can be wrong with it. @throws like `readWorkspace` */
export async function readConfiguration(context: Context): Promise<ReadConfig> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const { config, configText } = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  const file = path.resolve(context.folder, context.configFile ?? path.join(repository.root, 'bevelstone.yaml'));
  return { file, isThere: configText !== null, config };
}
