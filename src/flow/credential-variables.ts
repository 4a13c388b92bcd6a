import type { Config } from '../core/config/config.ts';

/** Names of the environment variables that hold credentials: nothing that a maintainer's commands run in may see them. */
function credentialVariables({ destinations }: Config): Set<string> {
  return new Set(
    Object.values(destinations).flatMap(({ credential }) =>
      credential.startsWith('env:') ? [credential.slice('env:'.length)] : [],
    ),
  );
}

/** The environment without credentials: what build steps, tools and git's filters get to see. */
export function withoutCredentials(
  env: Readonly<Record<string, string | undefined>>,
  config: Config,
): Record<string, string> {
  const hidden = credentialVariables(config);
  return Object.fromEntries(
    Object.entries(env).filter((pair): pair is [string, string] => pair[1] !== undefined && !hidden.has(pair[0])),
  );
}
