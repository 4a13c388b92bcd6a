import path from 'node:path';
import { execa } from 'execa';
import { testEnvironment } from './repository.ts';

/** The built program. */
export const programFile = path.join(import.meta.dirname, '../../dist/main.js');

/** What a run of the program gave. */
export type Run = { readonly exitCode: number; readonly stdout: string; readonly stderr: string };

/** How to run it. */
export type RunOptions = {
  readonly cwd: string;
  readonly env?: Readonly<Record<string, string>>;
  readonly program?: string;
};

/** Runs the built program as a person or CI would, without a terminal. */
export async function bevelstone(
  args: readonly string[],
  { cwd, env = {}, program = programFile }: RunOptions,
): Promise<Run> {
  const result = await execa(process.execPath, [program, ...args], {
    cwd,
    env: testEnvironment(env),
    extendEnv: false,
    reject: false,
    stdin: 'ignore',
  });
  return { exitCode: result.exitCode ?? -1, stdout: result.stdout, stderr: result.stderr };
}

/** The JSON envelope of a run. */
export type Envelope = {
  readonly schema: string;
  readonly command: string;
  readonly ok: boolean;
  // biome-ignore lint/suspicious/noExplicitAny: each command has a result of its own
  readonly result: any;
  readonly warnings: readonly string[];
  readonly error: {
    readonly code: string;
    readonly message: string;
    readonly why: string;
    readonly fix: string;
    readonly where: { readonly file: string; readonly line?: number; readonly column?: number } | null;
    readonly problems: readonly {
      readonly code: string;
      readonly message: string;
      readonly fix: string;
      readonly where: { readonly line: number; readonly column: number } | null;
    }[];
  } | null;
};

/** Runs the program with `--json` and reads its one object. */
export async function bevelstoneJson(args: readonly string[], options: RunOptions): Promise<Envelope & Run> {
  const run = await bevelstone([...args, '--json'], options);
  return { ...(JSON.parse(run.stdout) as Envelope), ...run };
}
