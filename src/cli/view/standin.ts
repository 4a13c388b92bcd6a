import { cleanText } from '../../core/text/clean.ts';
import type { RunningStandin } from '../../flow/standin.ts';
import type { Screen } from './screen.ts';

/** Where the stand-in is, until it is stopped. */
export function renderStandin({ url, store, tokens }: RunningStandin, { colours }: Screen): string {
  return [
    `${colours.bold('Stand-in')} is running; stop it with Ctrl-C`,
    `  npm-registry  ${url}node/`,
    `  token         ${tokens.map(cleanText).join(', ')}`,
    `  store         ${cleanText(store)}`,
  ].join('\n');
}

/** The `result` of `standin --json`. */
export function standinJson({ url, store, speaks, tokens }: RunningStandin): unknown {
  return { url, store, speaks, tokens };
}
