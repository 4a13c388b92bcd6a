/** What the program is given of the process that it runs in; only the entry file takes it from there. */
export type Host = {
  readonly stdin: NodeJS.ReadStream;
  readonly stdout: NodeJS.WriteStream;
  readonly stderr: NodeJS.WriteStream;
  readonly env: NodeJS.ProcessEnv;
  readonly version: string;
  /** Names the very program, to the byte; null when it was not built. */
  readonly build: string | null;
  readonly onSignal: (work: () => void) => void;
  readonly setExitCode: (code: number) => void;
};
