import { once, setMaxListeners } from 'node:events';
import path from 'node:path';
import yargs, { type Argv } from 'yargs';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { errorCatalog } from '../core/error/catalog.ts';
import { redact, redactValue } from '../core/text/redact.ts';
import type { Context } from '../flow/context.ts';
import { currentTime } from '../world/fault-point.ts';
import { systemFault } from '../world/system-fault.ts';
import { makeAsk, makeAskSecret, makeAskText, makeAskTrust } from './ask.ts';
import { type ListedCommand, optionalText, type RawArguments, secondWords, textList } from './command.ts';
import { commandList } from './command-list.ts';
import type { Host } from './host.ts';
import { commonOptions } from './options.ts';
import { usageError } from './usage.ts';
import { errorJson, renderError, renderErrorBelow, renderFault } from './view/error.ts';
import { jsonPieces } from './view/json.ts';
import { makeProgress, type Progress } from './view/progress.ts';
import { makeScreen } from './view/screen.ts';

/** Runs the command that the arguments name, prints what comes of it and sets the exit code. Never throws. */
export async function runProgram(args: readonly string[], host: Host): Promise<void> {
  const session = new Session(args, host);
  host.stdout.on('error', ignoreClosedPipe);
  host.stderr.on('error', ignoreClosedPipe);
  try {
    const chosen = await choose(args, host);
    if (chosen !== null) await session.run(chosen);
  } catch (error) {
    await session.fail(error);
  }
}

/** One run of the program: what it prints, and how it ends. */
class Session {
  readonly isJson: boolean;
  readonly secrets = new Set<string>();
  readonly warnings: string[] = [];
  readonly #isVerbose: boolean;
  readonly #isQuiet: boolean;
  readonly #abort = new AbortController();
  readonly #progress: Progress;
  readonly #host: Host;
  command = '';

  constructor(args: readonly string[], host: Host) {
    this.#host = host;
    const has = (...names: string[]) => args.some((arg) => names.includes(arg));
    this.isJson = has('--json');
    this.#isVerbose = has('-v', '--verbose');
    this.#isQuiet = has('-q', '--quiet');
    // Many things at work at once listen for it.
    setMaxListeners(0, this.#abort.signal);
    const isLive = host.stderr.isTTY === true && !this.isJson;
    this.#progress = makeProgress(this.errors, isLive, (text) => host.stderr.write(this.#safe(text)));
    host.onSignal(() => this.#abort.abort());
  }

  get #isTerminal(): boolean {
    return this.#host.stdin.isTTY === true && this.#host.stderr.isTTY === true;
  }

  get errors() {
    return makeScreen(this.#host.stderr, this.#host.env, this.#isVerbose);
  }

  context(raw: RawArguments): Context {
    return {
      folder: path.resolve(optionalText(raw, 'dir') ?? '.'),
      env: this.#host.env,
      configFile: optionalText(raw, 'config'),
      packages: textList(raw, 'package'),
      programVersion: this.#host.version,
      programBuild: this.#host.build,
      now: currentTime,
      signal: this.#abort.signal,
      secrets: this.secrets,
      trust: {
        isConfigTrusted: raw['trustConfig'] === true,
        ask: this.#isTerminal ? makeAskTrust({ signal: this.#abort.signal, screen: this.errors }) : null,
      },
      askText: this.#isTerminal ? makeAskText({ signal: this.#abort.signal, screen: this.errors }) : null,
      askSecret: makeAskSecret({
        isTerminal: this.#isTerminal,
        signal: this.#abort.signal,
        screen: this.errors,
        stdin: this.#host.stdin,
      }),
      report: (reported) => {
        // Before a line is cut to the width of the terminal: half a secret is not found any more.
        const event = redactValue(reported, this.secrets);
        if (event.type === 'warning') this.warnings.push(event.text);
        if (event.type === 'warning' || !this.#isQuiet) this.#progress.report(event);
      },
    };
  }

  async run({ name, command, raw }: Chosen): Promise<void> {
    this.command = name;
    const args = command.parse(raw);
    const ask = makeAsk({
      yes: raw['yes'] === true,
      isTerminal: this.#isTerminal,
      signal: this.#abort.signal,
      show: (text) => this.#host.stderr.write(this.#safe(`${text}\n`)),
      screen: this.errors,
    });
    const {
      result,
      error = null,
      until,
      bytes,
    } = await command.run(args, this.context(raw), {
      ask,
      screen: this.errors,
      commands: commandList,
    });
    this.#progress.stop();
    if (this.isJson)
      await this.#printJson(error === null, command.toJson(result), error === null ? null : errorJson(error));
    else if (bytes !== undefined && this.#host.stdout.isTTY !== true) this.#host.stdout.write(bytes);
    else {
      const shown = redactValue(result, this.secrets);
      this.#host.stdout.write(
        this.#safe(`${command.render(shown, makeScreen(this.#host.stdout, this.#host.env, this.#isVerbose), args)}\n`),
      );
    }
    if (error !== null) {
      this.#host.stderr.write(this.#safe(`${renderErrorBelow(error, this.errors)}\n`));
      this.#host.setExitCode(error.exitCode);
    }
    await until;
  }

  async fail(error: unknown): Promise<void> {
    this.#progress.stop();
    const shown =
      this.#abort.signal.aborted && !(error instanceof BevelstoneError)
        ? interrupted(error)
        : (systemFault(error) ?? error);
    if (this.isJson)
      await this.#printJson(false, shown instanceof BevelstoneError ? shown.result : null, errorJson(shown));
    const isOurs = shown instanceof BevelstoneError;
    const text = isOurs ? renderError(shown, this.errors) : renderFault(shown, this.errors);
    const stack =
      isOurs && this.#isVerbose
        ? `\n${shown.stack}${shown.cause instanceof Error ? `\ncause: ${shown.cause.stack}` : ''}`
        : '';
    this.#host.stderr.write(this.#safe(`${text}${stack}\n`));
    this.#host.setExitCode(isOurs ? shown.exitCode : errorCatalog.INTERNAL.exitCode);
  }

  async #printJson(ok: boolean, result: unknown, error: unknown): Promise<void> {
    const envelope = { schema: 'bevelstone/1', command: this.command, ok, result, warnings: this.warnings, error };
    const { stdout } = this.#host;
    const safe = this.secrets.size === 0 ? null : (text: string) => this.#safe(text);
    for (const piece of jsonPieces(envelope, safe)) {
      if (!stdout.write(piece)) await once(stdout, 'drain').catch(ignoreClosedPipe);
      // Whoever read it, such as `head`, has what they wanted.
      if (stdout.destroyed) return;
    }
    stdout.write('\n');
  }

  #safe(text: string): string {
    return this.secrets.size === 0 ? text : redact(text, this.secrets);
  }
}

type LoadedCommand = Awaited<ReturnType<ListedCommand['load']>>;
type LoadedCommands = ReadonlyMap<string, LoadedCommand>;

/** Loads the commands whose words stand among the arguments: the one that is meant is always among them. */
async function loadNamed(args: readonly string[]): Promise<LoadedCommands> {
  const named = commandList.filter(({ name }) => name.split(' ').every((word) => args.includes(word)));
  return new Map(await Promise.all(named.map(async ({ name, load }) => [name, await load()] as const)));
}

/** The command that the arguments name, with its own arguments. */
class Chosen {
  readonly name: string;
  readonly command: LoadedCommand;
  readonly raw: RawArguments;

  constructor(name: string, command: LoadedCommand, raw: RawArguments) {
    [this.name, this.command, this.raw] = [name, command, raw];
  }
}

/** Parses the arguments. @returns null when the parser has answered already: help, version. */
async function choose(args: readonly string[], { version, stdout }: Host): Promise<Chosen | null> {
  try {
    const look = { version, columns: stdout.columns };
    const raw = await makeParser(args, await loadNamed(args), look).parseAsync([...args]);
    const isAnswered = args.some((arg) => ['--help', '--version', '-h'].includes(arg));
    if (raw._.length > 0 || isAnswered) return null;
    const { status } = await import('./command/status.ts');
    return new Chosen('', status, raw);
  } catch (thrown) {
    if (thrown instanceof Chosen) return thrown;
    throw thrown;
  }
}

/** What help shows besides the commands, and how wide it may be. */
type Look = { readonly version: string; readonly columns: number | undefined };

/** A help text for a terminal of some width. */
type LaidOut = { readonly words: readonly string[]; readonly width: number; readonly text: string };

/**
 * The help texts of the program, of its commands and of their groups, for a pipe and for wide terminals.
 * @public for the build, which keeps them beside the program.
 */
export async function helpTexts(version: string): Promise<LaidOut[]> {
  const names = commandList.map(({ name }) => name);
  const all = new Set(['', ...names.map((name) => name.split(' ')[0] ?? ''), ...names]);
  const texts: LaidOut[] = [];
  for (const columns of [80, 100])
    for (const name of all) {
      const words = name.split(' ').filter(Boolean);
      const args = [...words, '--help'];
      await makeParser(args, await loadNamed(args), { version, columns }).parseAsync(
        args,
        {},
        (_error, _argv, output) => {
          texts.push({ words, width: columns, text: `${output}\n` });
        },
      );
    }
  return texts;
}

function makeParser(args: readonly string[], commands: LoadedCommands, { version, columns = 80 }: Look): Argv {
  let parser: Argv = commonOptions(yargs([...args]))
    .scriptName('bevelstone')
    .usage('$0 COMMAND\n\nFrom git history to a package that a stranger can install.')
    .version(version)
    .help()
    .strict()
    .parserConfiguration({ 'camel-case-expansion': true, 'duplicate-arguments-array': true })
    .wrap(Math.min(100, columns))
    .epilogue('To see it all once: bevelstone demo\nFor one command: bevelstone COMMAND --help')
    .exitProcess(false)
    .fail((message, error) => {
      throw error ?? usageError(message, args, commands);
    });
  const groups = new Set<string>();
  for (const listed of commandList) {
    const [group = '', ...rest] = listed.name.split(' ');
    const isCommand = commandList.some(({ name }) => name === group);
    if (rest.length === 0) parser = addCommand(parser, listed, { commands, args });
    else if (!groups.has(group) && !isCommand) parser = addGroup(parser, group, { commands, args });
    groups.add(group);
  }
  return parser;
}

/** What commands of two words have in common, by their first word. */
const groupWords: Readonly<Record<string, string>> = {
  sbom: 'SBOMs: what is inside, and what it depends on',
  ledger: 'The record of every release',
  config: 'The configuration of the workspace',
  inputs: 'Third-party sources that packages are built from, and their patches',
};

function addGroup(parser: Argv, group: string, typed: Typed): Argv {
  const listed = commandList.filter(({ name }) => name.startsWith(`${group} `));
  return parser.command(group, groupWords[group] ?? '', (inner) => {
    let grown = inner;
    for (const command of listed) grown = addCommand(grown, command, typed);
    return grown.demandCommand(1, `missing command: ${group} ${secondWords(group, commandList).join(', ')}`);
  });
}

/** The commands that were loaded, and what was typed. */
type Typed = { readonly commands: LoadedCommands; readonly args: readonly string[] };

/** The handler throws the choice: once it returned, the parser would lay out the whole help text at every run. */
function addCommand(parser: Argv, { name, positional, describe }: ListedCommand, typed: Typed): Argv {
  const command = typed.commands.get(name);
  return parser.command({
    command: `${name.split(' ').at(-1)} ${positional}`.trim(),
    describe,
    builder: (inner: Argv) => {
      let grown = inner;
      // A command can have others below it: `deploy` and `deploy list`.
      const below = commandList.filter((other) => other.name.startsWith(`${name} `));
      for (const listed of below) grown = addCommand(grown, listed, typed);
      const next = `${name} ${typed.args[typed.args.indexOf(name) + 1]}`;
      if (command === undefined || below.some((listed) => listed.name === next)) return grown;
      grown = command.options(grown);
      for (const [line, says] of command.examples) grown = grown.example(`$0 ${line}`, says);
      return grown;
    },
    handler: (raw: RawArguments) => {
      if (command === undefined) throw new Error(`the command ${name} was not loaded`);
      throw new Chosen(name, command, raw);
    },
  } as never);
}

function interrupted(cause: unknown): BevelstoneError {
  return new BevelstoneError('INTERRUPTED', {
    message: 'interrupted',
    why: 'the program received a signal',
    fix: 'Nothing was changed; run the same command again',
    cause,
  });
}

function ignoreClosedPipe(error: NodeJS.ErrnoException): void {
  if (error.code !== 'EPIPE') throw error;
}
