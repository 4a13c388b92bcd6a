import type { Argv } from 'yargs';
import type { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Context } from '../flow/context.ts';
import type { Screen } from './view/screen.ts';

/** Arguments as the parser gives them: named, untyped. */
export type RawArguments = Readonly<Record<string, unknown>>;

/** What a command gives: the result, what is wrong in spite of it, and what it goes on doing until it is stopped. */
export type Outcome<Result> = {
  readonly result: Result;
  readonly error?: BevelstoneError | null;
  readonly until?: Promise<void>;
  /** Written to standard output byte for byte, unless it is a terminal. */
  readonly bytes?: Uint8Array;
};

/** One command: arguments to a flow to a view. */
export type Command<Arguments, Result> = {
  readonly options: (yargs: Argv) => Argv;
  readonly examples: readonly (readonly [string, string])[];
  readonly parse: (raw: RawArguments) => Arguments;
  /** Heavy modules are loaded in here, so that `--help` stays quick. */
  readonly run: (args: Arguments, context: Context, person: Person) => Promise<Outcome<Result>>;
  readonly render: (result: Result, screen: Screen, args: Arguments) => string;
  /** The `result` of the JSON envelope. */
  readonly toJson: (result: Result) => unknown;
};

/** Asks the person in front of the terminal; see `ask.ts` for what happens when there is none. */
export type Ask = (question: {
  readonly shown: string;
  /** Null when it is only shown. */
  readonly question: string | null;
}) => Promise<void>;

/** The person in front of the terminal: how to ask them, and what they see questions on. */
export type Person = {
  readonly ask: Ask;
  readonly screen: Screen;
  /** All that may be typed. */
  readonly commands: readonly ListedCommand[];
};

/** A command in the list of all: its words and one line on what it does, the rest loaded when it is used. */
export type ListedCommand = {
  readonly name: string;
  readonly positional: string;
  readonly describe: string;
  // biome-ignore lint/suspicious/noExplicitAny: each command has types of its own
  readonly load: () => Promise<Command<any, any>>;
};

/** The command that the first words of a line name, or null. */
export function findCommand(words: readonly string[], commands: readonly ListedCommand[]): ListedCommand | null {
  return commands.find(({ name }) => name.split(' ').every((part, index) => words[index] === part)) ?? null;
}

/** What may follow the first word of a command of two words; empty for others. */
export function secondWords(first: string, commands: readonly ListedCommand[]): string[] {
  return commands.flatMap(({ name }) => (name.startsWith(`${first} `) ? [name.slice(first.length + 1)] : []));
}

/** A text option, null when it was not given; of several the last one. */
export function optionalText(raw: RawArguments, name: string): string | null {
  const value = textList(raw, name).at(-1);
  return typeof value === 'string' ? value : null;
}

/** A list of texts from an option that may be repeated. */
export function textList(raw: RawArguments, name: string): string[] {
  const value = raw[name];
  if (value === undefined || value === null) return [];
  return (Array.isArray(value) ? value : [value]).map(String);
}
