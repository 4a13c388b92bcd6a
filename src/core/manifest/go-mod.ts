import { compareVersions, isVersion } from '../version/version.ts';

/** A line of `replace`: what is replaced, and by what. */
export type GoReplace = { readonly path: string; readonly by: string };

/** What a go.mod says (Go Modules Reference, "go.mod files"). */
export type GoMod = {
  readonly module: string | null;
  readonly go: string | null;
  readonly requires: readonly { readonly path: string; readonly version: string }[];
  readonly replaces: readonly GoReplace[];
  /** Versions and ranges `[low, high]` that are taken back, as they are written. */
  readonly retracts: readonly string[];
};

/** Reads a go.mod. Lines that it does not know are passed over: later versions of the language have more. */
export function parseGoMod(text: string): GoMod {
  const found = { module: null as string | null, go: null as string | null };
  const requires: GoMod['requires'][number][] = [];
  const replaces: GoReplace[] = [];
  const retracts: string[] = [];
  for (const { verb, words } of directives(text)) {
    const [first = '', second = ''] = words;
    if (verb === 'module') found.module ??= first;
    else if (verb === 'go') found.go ??= first;
    else if (verb === 'require') requires.push({ path: first, version: second });
    else if (verb === 'retract') retracts.push(words.join(' '));
    else if (verb === 'replace') {
      const arrow = words.indexOf('=>');
      if (arrow > 0) replaces.push({ path: first, by: words.slice(arrow + 1).join(' ') });
    }
  }
  return { ...found, requires, replaces, retracts };
}

/** Each directive on its own, those in parentheses with the verb before them; comments are left out. */
function* directives(text: string): Generator<{ readonly verb: string; readonly words: readonly string[] }> {
  let block: string | null = null;
  for (const line of text.split(/\r?\n/)) {
    const words = [...line.matchAll(/\/\/.*$|"(?:[^"\\]|\\.)*"|`[^`]*`|[^\s"`]+/g)]
      .map(([word]) => word)
      .filter((word) => !word.startsWith('//'))
      .map((word) => (/^["`]/.test(word) ? word.slice(1, -1) : word));
    const [first, ...rest] = words;
    if (first === undefined) continue;
    if (block !== null && first === ')') block = null;
    else if (block !== null) yield { verb: block, words };
    else if (rest[0] === '(') block = first;
    else if (rest.at(-1) === '(') block = first;
    else yield { verb: first, words: rest };
  }
}

/** Whether a version is one that a `retract` line names: itself, or in its range `[low, high]`. */
export function isInRetracted(range: string, version: string): boolean {
  const [, low, high] = /^\[\s*v(\S+?)\s*,\s*v(\S+?)\s*\]$/.exec(range) ?? [];
  if (low === undefined || high === undefined) return range === version;
  const own = version.slice(1);
  return [low, high, own].every(isVersion) && compareVersions(low, own) <= 0 && compareVersions(own, high) <= 0;
}

/** Whether a replacement is a folder of the machine where it was written ("replace directive"). */
export function isLocalReplace({ by }: GoReplace): boolean {
  return /^(?:\.{1,2}(?:\/|$)|\/|[A-Za-z]:[\\/])/.test(by);
}

/**
 * Adds a `retract` line for a version, with the reason ("retract directive"): it takes effect with the next version that has it.
 * @returns null when the version is retracted already.
 */
export function withRetract(text: string, version: string, reason: string): string | null {
  const own = `v${version}`;
  const isThere = parseGoMod(text).retracts.some((range) => range === own);
  if (isThere) return null;
  const comment = reason.replace(/\s+/g, ' ').trim();
  return `${text.replace(/\n*$/, '\n')}\nretract ${own}${comment === '' ? '' : ` // ${comment}`}\n`;
}
