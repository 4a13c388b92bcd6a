import type { CredentialConfig, DestinationConfig, SecretReference } from './config.ts';

/** The references inside a credential; none for `none` and `chain`. */
export function secretReferences(credential: CredentialConfig): SecretReference[] {
  if (typeof credential === 'string') return credential === 'none' || credential === 'chain' ? [] : [credential];
  if ('token' in credential) return [credential.token];
  if ('user' in credential) return [...(isReference(credential.user) ? [credential.user] : []), credential.password];
  if ('header' in credential) return [credential.value];
  const { session } = credential;
  return [credential['access-key'], credential['secret-key'], ...(session === undefined ? [] : [session])];
}

/** Whether a text leads to a secret and is none itself. */
export function isReference(text: string): boolean {
  return /^(?:env|file|kept):/.test(text);
}

/**
 * References that a person has to agree to before what they lead to is sent anywhere: `env:`, `file:` and `chain`. A kept
 * credential is bound to its origins already.
 */
export function trustedReferences({ credential, 'one-time': oneTime }: DestinationConfig): string[] {
  const references = credential === 'chain' ? ['chain'] : secretReferences(credential);
  return [...references, ...(oneTime === null ? [] : [oneTime])].filter((text) => !text.startsWith('kept:'));
}

/** Names of the environment variables that hold secrets of a destination. */
export function secretVariables({ credential, 'one-time': oneTime }: DestinationConfig): string[] {
  const references = [...secretReferences(credential), ...(oneTime === null ? [] : [oneTime])];
  const named = references.flatMap((reference) =>
    reference.startsWith('env:') ? [reference.slice('env:'.length)] : [],
  );
  // The usual chain of an object store reads these by itself.
  return credential === 'chain' ? [...named, ...chainVariables] : named;
}

/** What object store clients read from the environment. */
export const chainVariables = ['AWS_ACCESS_KEY_ID', 'AWS_SECRET_ACCESS_KEY', 'AWS_SESSION_TOKEN'];
