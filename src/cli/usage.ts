import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { nearest } from '../core/text/nearest.ts';
import { findCommand, type ListedCommand, secondWords } from './command.ts';
import { commandList } from './command-list.ts';
import { knownOptions } from './options.ts';

type LoadedCommand = Awaited<ReturnType<ListedCommand['load']>>;

/** What was typed, as far as it could be read. */
type Line = {
  readonly args: readonly string[];
  /** Words that are not options. */
  readonly words: readonly string[];
  readonly listed: ListedCommand | null;
  /** Null unless the command's words stand on the line. */
  readonly command: LoadedCommand | null;
};

/**
 * What the parser has against a command line, with the command or option that was probably meant.
 * @param commands those whose words stand on the line.
 */
export function usageError(
  parserMessage: string,
  args: readonly string[],
  commands: ReadonlyMap<string, LoadedCommand>,
): BevelstoneError {
  const words = args.filter((arg) => !arg.startsWith('-'));
  const listed = findCommand(words, commandList);
  const line = { args, words, listed, command: commands.get(listed?.name ?? '') ?? null };
  const { message, near } = explain(parserMessage, line);
  const help = `bevelstone ${listed?.name ?? ''}`.trim();
  return new BevelstoneError('USAGE', {
    message,
    why: 'the command line is not valid, so nothing was done',
    fix: near === null ? `Run: ${help} --help` : `Did you mean "${near}"? See also: ${help} --help`,
  });
}

/** The parser's message in our words, and what was probably meant. */
function explain(parserMessage: string, line: Line): { readonly message: string; readonly near: string | null } {
  const unknown = /^Unknown (?:command|argument)s?: ([^\s,]+)/.exec(parserMessage)?.[1];
  if (unknown !== undefined) return explainUnknown(unknown, line);
  const invalid = /Argument: (\S+), Given: (.*), Choices: (.*)/.exec(parserMessage);
  if (invalid !== null) {
    const [, name = '', given = '', choices = ''] = invalid;
    return { message: `invalid value ${given} for ${nameOf(name, line)}: expected ${choices}`, near: null };
  }
  const missing = /^Missing required arguments?: (.*)/.exec(parserMessage)?.[1];
  if (missing !== undefined) {
    const names = missing.split(', ').map((name) => nameOf(name, line));
    return { message: `missing ${names.join(', ')}`, near: null };
  }
  if (/^Not enough non-option arguments/.test(parserMessage) && line.listed !== null)
    return { message: `missing argument: ${line.listed.name} ${line.listed.positional}`, near: null };
  const both = /^Arguments (\S+) and (\S+) are mutually exclusive/.exec(parserMessage);
  if (both !== null) return { message: `--${both[1]} and --${both[2]} cannot be used together`, near: null };
  return { message: parserMessage.split('\n')[0] ?? parserMessage, near: null };
}

/** An option with its dashes, a positional argument as the help shows it. */
function nameOf(name: string, { listed }: Line): string {
  return listed?.positional.includes(name) === true ? listed.positional : `--${name}`;
}

function explainUnknown(unknown: string, { args, words, listed, command }: Line) {
  const typed = args.find((arg) => /^--?[^-]/.test(arg) && arg.replace(/^--?/, '').split('=')[0] === unknown);
  if (typed !== undefined) {
    const near = nearestOrLonger(unknown, knownOptions(command).names);
    return { message: `unknown option ${typed.split('=')[0]}`, near: near === null ? null : `--${near}` };
  }
  if (listed !== null) {
    const meant = listed.positional === '' ? '; to choose a package: -p NAME' : '';
    return { message: `unexpected argument "${unknown}" for ${listed.name}${meant}`, near: null };
  }
  const [first = ''] = words;
  const inGroup = secondWords(first, commandList);
  if (inGroup.length === 0)
    return { message: `unknown command "${unknown}"`, near: nearestOrLonger(unknown, firstWords()) };
  const near = nearestOrLonger(unknown, inGroup);
  return {
    message: `unknown command "${first} ${unknown}": expected ${first} ${inGroup.join(', ')}`,
    near: near === null ? null : `${first} ${near}`,
  };
}

function firstWords(): string[] {
  return [...new Set(commandList.map(({ name }) => name.split(' ')[0] ?? ''))];
}

/** The nearest word, or the only one that begins like it: `rel` is short for `release`. */
function nearestOrLonger(word: string, known: readonly string[]): string | null {
  const squeezed = (text: string) => text.replaceAll('-', '').toLowerCase();
  const longer = known.filter((name) => squeezed(name).startsWith(squeezed(word)));
  return longer.length === 1 ? (longer[0] ?? null) : nearest(word, known);
}
