import { ruleIds } from '../core/name/rule.ts';
import type { Context } from '../flow/context.ts';
import type { NameKind } from '../flow/ledger/known-names.ts';
import { findCommand, type ListedCommand, secondWords } from './command.ts';
import { knownOptions } from './options.ts';

/** Arguments and options whose values only the workspace knows. */
const namesOf: Readonly<Record<string, NameKind>> = {
  release: 'release',
  destinations: 'destination',
  package: 'package',
  stream: 'stream',
};

/** The same, where a name means something else in other commands. */
const namesIn: Readonly<Record<string, NameKind>> = {
  'promote from': 'destination',
  'promote to': 'destination',
  'withdraw from': 'destination',
  'ledger show against': 'release',
};

/**
 * What may stand at the end of a command line.
 * @param line from its beginning to the cursor; its last word is begun, or empty behind a space.
 * @returns nothing where the shell knows better, as for files.
 */
export async function complete(context: Context, line: string, commands: readonly ListedCommand[]): Promise<string[]> {
  const words = line.split(/\s+/).slice(1);
  const word = words.pop() ?? '';
  const listed = findCommand(plainWords(words), commands);
  const candidates =
    listed === null && !word.startsWith('-')
      ? nextWords(words, commands)
      : await argumentsOf(context, { listed, words, word });
  return [...new Set(candidates)].filter((candidate) => candidate.startsWith(word));
}

function plainWords(words: readonly string[]): string[] {
  return words.filter((word) => !word.startsWith('-'));
}

/** First words of commands, or second ones behind a first. */
function nextWords(words: readonly string[], commands: readonly ListedCommand[]): string[] {
  const [first] = plainWords(words);
  if (first === undefined) return commands.map(({ name }) => name.split(' ')[0] ?? '');
  return secondWords(first, commands);
}

async function argumentsOf(
  context: Context,
  {
    listed,
    words,
    word,
  }: { readonly listed: ListedCommand | null; readonly words: readonly string[]; readonly word: string },
): Promise<string[]> {
  const options = knownOptions(listed === null ? null : await listed.load());
  const positional = /[a-z]+/.exec(listed?.positional ?? '')?.[0] ?? '';
  const before = words.at(-1) ?? '';
  const given = before.replace(/^--?/, '');
  const option = before.startsWith('-') ? (options.aliases.get(given) ?? given) : '';
  const asked = options.withValue.has(option) ? option : positional;
  if (asked === positional && word.startsWith('-'))
    return options.names.filter((name) => name !== positional).map((name) => `--${name}`);
  if (asked === 'explain') return [...ruleIds];
  const choices = options.choices.get(asked);
  if (choices !== undefined) return [...choices];
  const kind = namesIn[`${listed?.name} ${asked}`] ?? namesOf[asked];
  if (kind === undefined) return [];
  const { knownNames } = await import('../flow/ledger/known-names.ts');
  return knownNames(context, kind);
}
