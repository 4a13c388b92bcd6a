import yargs, { type Argv } from 'yargs';
import type { Command } from './command.ts';

/** What a parser knows of its options. */
export type KnownOptions = {
  /** Long names, without dashes. */
  readonly names: readonly string[];
  /** Those that take a value. */
  readonly withValue: ReadonlySet<string>;
  readonly choices: ReadonlyMap<string, readonly string[]>;
  /** Short and other names, by which a person may mean one. */
  readonly aliases: ReadonlyMap<string, string>;
};

/** Options of every command. */
export function commonOptions(parser: Argv): Argv {
  return parser
    .option('dir', { alias: 'C', type: 'string', describe: 'Work in this folder', global: true })
    .option('config', { type: 'string', describe: 'Configuration file, instead of bevelstone.yaml at the root' })
    .option('package', {
      alias: 'p',
      type: 'string',
      array: true,
      nargs: 1,
      describe: 'Only this package; may be repeated',
    })
    .option('trust-config', {
      type: 'boolean',
      describe: 'Send credentials to all destinations of this configuration without asking',
    })
    .option('json', { type: 'boolean', describe: 'Print one JSON object' })
    .option('quiet', { alias: 'q', type: 'boolean', describe: 'No progress' })
    .option('verbose', { alias: 'v', type: 'boolean', describe: 'Show more: every delivery, and details of errors' })
    .group(['dir', 'config', 'package', 'trust-config', 'json', 'quiet', 'verbose'], 'Everywhere:');
}

/** Reads the options of a command, and those of every command; of none, the latter alone. */
export function knownOptions(command: Pick<Command<unknown, unknown>, 'options'> | null): KnownOptions {
  const common = commonOptions(yargs([]));
  const parser = command === null ? common : command.options(common);
  // Public, though the types leave it out.
  const { key, boolean, choices, alias, hiddenOptions } = (parser as unknown as Described).getOptions();
  const aliases = new Map(
    Object.entries(alias).flatMap(([name, others]) => others.map((other) => [other, name] as const)),
  );
  const names = Object.keys(key).filter((name) => !aliases.has(name) && !hiddenOptions.includes(name));
  return {
    names,
    withValue: new Set(names.filter((name) => !boolean.includes(name))),
    choices: new Map(Object.entries(choices)),
    aliases,
  };
}

type Described = {
  readonly getOptions: () => {
    readonly key: Readonly<Record<string, unknown>>;
    readonly boolean: readonly string[];
    readonly hiddenOptions: readonly string[];
    readonly choices: Readonly<Record<string, readonly string[]>>;
    readonly alias: Readonly<Record<string, readonly string[]>>;
  };
};
