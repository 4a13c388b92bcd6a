import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { cleanLines } from '../../core/text/clean.ts';
import { withHidden } from '../secret-vault.ts';
import { faultInMessage, probeRoom } from '../system-fault.ts';

/** A repository and the environment in which git is asked about it. */
export type GitPlace = {
  readonly folder: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly signal?: AbortSignal;
  /** An index of its own, for trees that no working folder holds. */
  readonly indexFile?: string;
};

/** How one call differs from a plain question. */
export type GitOptions = {
  /** What it reads; null for what is written later. */
  readonly input?: string | Uint8Array | null;
  readonly env?: Readonly<Record<string, string>>;
  /** Exit codes beside 0 that are an answer. */
  readonly allow?: readonly number[];
  /** Whether the files that it makes get modes of umask 022, whatever the user's is. */
  readonly hasUsualModes?: boolean;
};

/** What git answered. */
export type GitAnswer = {
  readonly exitCode: number;
  readonly bytes: Buffer;
  readonly text: string;
  /** What it printed on standard error, cleaned; hooks of a remote are heard here. */
  readonly stderr: string;
};

// Nothing of the repository's own configuration may run a program or change what git prints.
const settings = [
  'core.fsmonitor=false',
  'core.hooksPath=/dev/null',
  'log.showSignature=false',
  'log.showRoot=true',
  'log.mailmap=false',
  'core.quotepath=off',
  'i18n.logOutputEncoding=UTF-8',
  'color.ui=false',
  'gc.auto=0',
  'maintenance.auto=false',
].flatMap((setting) => ['-c', setting]);

const quiet = { GIT_NO_REPLACE_OBJECTS: '1', GIT_OPTIONAL_LOCKS: '0', GIT_TERMINAL_PROMPT: '0', LC_ALL: 'C' };

// Set by git for its own hooks: they would turn every question to another repository.
const inherited = [
  'GIT_DIR',
  'GIT_WORK_TREE',
  'GIT_INDEX_FILE',
  'GIT_OBJECT_DIRECTORY',
  'GIT_COMMON_DIR',
  'GIT_NAMESPACE',
  'GIT_PREFIX',
];

/**
 * Runs git and waits for its answer.
 * @throws GIT_FAILED with git's own words, GIT_MISSING when there is no git.
 */
export async function git(place: GitPlace, args: readonly string[], options: GitOptions = {}): Promise<GitAnswer> {
  const running = startGit(place, args, options);
  const [stdout, message, end] = await Promise.all([collect(running.stdout), running.message(), running.end]);
  place.signal?.throwIfAborted();
  if (end.exitCode !== 0) {
    const fault = faultInMessage(`git ${verbOf(args)}`, message) ?? (await faultOnDisk(place, message));
    if (fault !== null) throw fault;
    if (!(options.allow ?? []).includes(end.exitCode ?? -1)) throw gitFailed({ args, end, message, place });
  }
  return { exitCode: end.exitCode ?? 0, bytes: stdout, text: stdout.toString('utf8'), stderr: message };
}

/** git's answer as one line of text. */
export async function gitLine(place: GitPlace, args: readonly string[], options: GitOptions = {}): Promise<string> {
  return (await git(place, args, options)).text.trim();
}

/** Runs git and gives its answer in chunks as they come, so that any amount can be read. @throws like git(). */
export async function* gitChunks(
  place: GitPlace,
  args: readonly string[],
  options: GitOptions = {},
): AsyncGenerator<Buffer> {
  const running = startGit(place, args, options);
  const message = running.message();
  try {
    yield* running.stdout;
  } finally {
    if (running.child.exitCode === null) running.child.kill();
  }
  const end = await running.end;
  place.signal?.throwIfAborted();
  if (end.exitCode !== 0) throw gitFailed({ args, end, message: await message, place });
}

/** git does not always say why it could not write a file of its own; on a full disk nothing else can be written either. */
async function faultOnDisk({ folder }: GitPlace, message: string): Promise<BevelstoneError | null> {
  const couldNotWrite =
    /^(?:error|fatal): .*(?:(?:unable to|could(?:n't| not)|cannot|failed to) (?:create|write|set|lock|update)|write error)/im;
  return couldNotWrite.test(message) ? probeRoom(path.join(folder, '.git'), message.split('\n').at(-1) ?? '') : null;
}

/** What git is asked to do, behind its settings. */
function verbOf(args: readonly string[]): string {
  return args.find((arg, index) => arg !== '-c' && args[index - 1] !== '-c') ?? '';
}

type End = { readonly exitCode: number | null; readonly code: string | null; readonly endedBy: string | null };

/** A git that was started; whoever started it reads what it prints. */
export type RunningGit = {
  readonly child: ChildProcess;
  readonly stdout: AsyncIterable<Buffer>;
  /** Reads what it says on standard error until it ends, cleaned. */
  readonly message: () => Promise<string>;
  readonly end: Promise<End>;
};

/** git is asked often, so it is started by the plain interface: a library costs more than the answers. */
export function startGit(place: GitPlace, args: readonly string[], options: GitOptions): RunningGit {
  const [program, before] = options.hasUsualModes ? withUsualModes : ['git', []];
  const child = spawn(program, [...before, ...settings, ...args], {
    ...base(place, options, args),
    stdio: [options.input === undefined ? 'ignore' : 'pipe', 'pipe', 'pipe'],
  });
  // When git ends without reading all of it, its exit code says more than the broken pipe.
  child.stdin?.on('error', () => {});
  if (options.input !== null) child.stdin?.end(options.input);
  const { stdout, stderr } = child;
  if (stdout === null || stderr === null) throw new Error('git was started without pipes');
  const message = async () => cleanLines((await collect(stderr)).toString('utf8').trim());
  return { child, stdout, message, end: endOf(child) };
}

/** A umask belongs to the whole process, where other work goes on at the same time; so a shell sets it for git alone. */
const withUsualModes = ['/bin/sh', ['-c', 'umask 022; exec git "$@"', 'git']] as const;

async function endOf(child: ChildProcess): Promise<End> {
  try {
    const [exitCode, endedBy] = (await once(child, 'close')) as [number | null, string | null];
    return { exitCode, code: null, endedBy };
  } catch (error) {
    return { exitCode: null, code: (error as NodeJS.ErrnoException).code ?? 'unknown', endedBy: null };
  }
}

async function collect(chunks: AsyncIterable<Buffer>): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const chunk of chunks) parts.push(chunk);
  return Buffer.concat(parts);
}

/** Only these talk to a remote, and a credential helper may need what is hidden from everything else. */
const network: ReadonlySet<string> = new Set(['push', 'fetch', 'ls-remote']);

function base(place: GitPlace, options: GitOptions, [verb = '']: readonly string[]) {
  const env = network.has(verb) ? withHidden(place.env) : place.env;
  const kept = Object.fromEntries(Object.entries(env).filter(([name]) => !inherited.includes(name)));
  const index = place.indexFile === undefined ? {} : { GIT_INDEX_FILE: place.indexFile };
  return {
    cwd: place.folder,
    env: { ...kept, ...quiet, ...index, ...options.env } as Record<string, string>,
    ...(place.signal === undefined ? {} : { signal: place.signal }),
  } as const;
}

/** The error for a git that did not end well. */
export function gitFailed({
  args,
  end: { code, endedBy },
  message,
  place,
}: {
  readonly args: readonly string[];
  readonly end: End;
  readonly message: string;
  readonly place: GitPlace;
}): BevelstoneError {
  if (code === 'ENOENT') {
    return new BevelstoneError('GIT_MISSING', {
      message: `cannot start git in ${place.folder}`,
      why: 'git is not on the PATH, or the folder does not exist',
      fix: 'Install git 2.30 or newer',
    });
  }
  if (endedBy !== null) {
    return new BevelstoneError('CUT_SHORT', {
      message: `git ${verbOf(args)} was killed by ${endedBy}`,
      why: 'another process stopped it, possibly half-way',
      fix: 'Run the same command again; it checks the current state first',
    });
  }
  return new BevelstoneError('GIT_FAILED', {
    message: `git ${verbOf(args)} failed`,
    why: message.split('\n').slice(-6).join('\n') || 'git printed no reason',
    fix: 'Run the same git command yourself to see more, and fix what it reports',
  });
}
