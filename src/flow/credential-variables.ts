import type { Config } from '../core/config/config.ts';

/** Names of the environment variables that hold credentials: nothing that a maintainer's commands run in may see them. */
export function credentialVariables({ destinations }: Config): Set<string> {
  return new Set(
    Object.values(destinations).flatMap(({ credential }) =>
      credential.startsWith('env:') ? [credential.slice('env:'.length)] : [],
    ),
  );
}
