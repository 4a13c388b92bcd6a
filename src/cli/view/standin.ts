import { cleanText } from '../../core/text/clean.ts';
import type { RunningStandin } from '../../flow/trial/standin.ts';
import type { Screen } from './screen.ts';

/** Where the stand-in is, until it is stopped. */
export function renderStandin({ addresses, store, isTemporary, tokens }: RunningStandin, { colours }: Screen): string {
  return [
    `${colours.bold('Stand-in')} is running; stop it with Ctrl-C`,
    ...Object.entries(addresses).map(([speaks, address]) => `  ${speaks.padEnd(12)}  ${address}`),
    `  token         ${tokens.map(cleanText).join(', ')}`,
    `  store         ${cleanText(store)}${isTemporary ? ' (removed when it stops)' : ''}`,
  ].join('\n');
}

/** The `result` of `standin --json`. */
export function standinJson({ url, store, speaks, addresses, tokens }: RunningStandin): unknown {
  return { url, store, speaks, addresses, tokens };
}
