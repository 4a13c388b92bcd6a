import type { Config } from '../../core/config/config.ts';
import { secretVariables } from '../../core/config/secret-references.ts';

/** The environment without credentials: what build steps, tools, trials and git's filters get to see. */
export function withoutCredentials(
  env: Readonly<Record<string, string | undefined>>,
  config: Pick<Config, 'destinations'>,
): Record<string, string> {
  const hidden = new Set(Object.values(config.destinations).flatMap(secretVariables));
  return Object.fromEntries(
    Object.entries(env).filter((pair): pair is [string, string] => pair[1] !== undefined && !hidden.has(pair[0])),
  );
}
