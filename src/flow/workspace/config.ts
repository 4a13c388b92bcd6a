import path from 'node:path';
import type { Config } from '../../core/config/config.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { writeWhole } from '../../world/files.ts';
import { type Repository, resolveCommit } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import { openContext, readConfig, readWorkspace } from './workspace.ts';

/** A configuration as it counts, and where it stands. */
export type ReadConfig = { readonly file: string; readonly isThere: boolean; readonly config: Config };

/**
 * Reads the working folder's configuration with everything that can be wrong with it. Before the first commit there are no
 * manifests to check it against, and a warning says so.
 * @throws like `readWorkspace`
 */
export async function readConfiguration(context: Context): Promise<ReadConfig> {
  const repository = await openContext(context);
  const { config, configText } = await readChecked(context, repository);
  const file = path.resolve(context.folder, context.configFile ?? path.join(repository.root, 'bevelstone.yaml'));
  return { file, isThere: configText !== null, config };
}

async function readChecked(context: Context, repository: Repository): ReturnType<typeof readConfig> {
  try {
    const commit = await resolveCommit(repository.place, 'HEAD');
    return await readWorkspace(context, { repository, commit, source: 'working-folder' });
  } catch (error) {
    if (!isBevelstoneError(error, 'REPOSITORY_EMPTY')) throw error;
    const read = await readConfig(context, { repository, commit: 'HEAD', source: 'working-folder' });
    warn(context, 'nothing is committed yet, so the manifests were not checked');
    return read;
  }
}

/** Path of the schema inside the git folder. */
const schemaFile = 'bevelstone/schema.json';

/** The same, and writes the schema for editors anew. @throws like `readConfiguration` */
export async function checkConfiguration(context: Context): Promise<ReadConfig> {
  const read = await readConfiguration(context);
  await writeEditorSchema(context, await openContext(context));
  return read;
}

/**
 * Writes the JSON Schema of bevelstone.yaml into the git folder, where the first line that `init` writes points editors to.
 * That it cannot be written is a warning: nothing else needs it.
 */
export async function writeEditorSchema(context: Context, { commonFolder }: Repository): Promise<void> {
  const { configJsonSchema } = await import('../../core/config/json-schema.ts');
  const file = path.join(commonFolder, schemaFile);
  try {
    await writeWhole(file, `${JSON.stringify(configJsonSchema(), null, 2)}\n`);
  } catch (error) {
    warn(context, `the schema for editors was not written: ${(error as Error).message}`);
  }
}
