import { execa } from 'execa';

/** A program run for its answer. */
export type CommandRun = {
  readonly program: string;
  readonly args: readonly string[];
  readonly folder: string;
  /** The whole environment; nothing else is inherited. */
  readonly env: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
};

/** What it printed, or that it is not installed. */
export type CommandEnd =
  | { readonly type: 'missing' }
  | { readonly type: 'ended'; readonly exitCode: number; readonly stdout: string; readonly all: string };

/** Runs a program without a shell and collects what it prints. */
export async function runCommand({ program, args, folder, env, signal }: CommandRun): Promise<CommandEnd> {
  const result = await execa(program, args, {
    cwd: folder,
    env,
    extendEnv: false,
    stdin: 'ignore',
    reject: false,
    all: true,
    cancelSignal: signal,
  });
  if (result.code === 'ENOENT') return { type: 'missing' };
  signal.throwIfAborted();
  return { type: 'ended', exitCode: result.exitCode ?? 1, stdout: result.stdout, all: result.all };
}
