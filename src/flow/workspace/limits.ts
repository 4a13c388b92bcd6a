import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { type Context, warn } from '../context.ts';
import { openContext, readConfig } from './workspace.ts';

/**
 * Puts the limits of the workspace in force, for commands that look at any file. Without a workspace, or with a configuration
 * that has mistakes, the usual ones stay: looking at a file must work there too.
 */
export async function useLimitsOf(context: Context): Promise<void> {
  try {
    const repository = await openContext(context);
    await readConfig(context, { repository, commit: 'HEAD', source: 'working-folder' });
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    if (error.code === 'CONFIG_INVALID')
      warn(context, 'bevelstone.yaml has mistakes, so the usual limits apply; see: bevelstone config check');
  }
}
