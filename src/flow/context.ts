/** Something worth telling while work goes on. Texts may hold names from outside; whoever shows them cleans them. */
export type ProgressEvent =
  /** What comes next belongs together under this title. */
  | { readonly type: 'group'; readonly title: string }
  | { readonly type: 'started'; readonly what: string }
  | { readonly type: 'finished'; readonly what: string; readonly detail?: string }
  | { readonly type: 'skipped'; readonly what: string; readonly why: string }
  | { readonly type: 'failed'; readonly what: string; readonly why: string }
  /** How far something that was started has come, in bytes. */
  | { readonly type: 'moved'; readonly what: string; readonly bytes: number; readonly of: number }
  /** Something that was started waits for others. */
  | { readonly type: 'waiting'; readonly what: string; readonly why: string }
  | { readonly type: 'note'; readonly text: string }
  | { readonly type: 'warning'; readonly text: string };

/** Who says that a configuration may send credentials where it says. */
export type Trust = {
  /** Whether everything in the configuration is trusted (`--trust-config`). */
  readonly isConfigTrusted: boolean;
  /** Asks the person a question to be answered with yes or no; null when there is no terminal. */
  readonly ask: ((question: string) => Promise<boolean>) | null;
};

/** What a flow needs of the outside, given as values. */
export type Context = {
  /** Folder to work in: the current one, or that of `--dir`. */
  readonly folder: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  /** Configuration file named on the command line. */
  readonly configFile: string | null;
  /** Names of packages asked for; empty for all. */
  readonly packages: readonly string[];
  readonly programVersion: string;
  /** Names the very program, to the byte; null when it was not built. */
  readonly programBuild: string | null;
  readonly now: () => Date;
  readonly signal: AbortSignal;
  /** Every secret read so far; nothing that is shown or stored may hold one. */
  readonly secrets: Set<string>;
  readonly report: (event: ProgressEvent) => void;
  readonly trust: Trust;
  /** Asks the person for a secret, or takes it from standard input; null when there is neither. */
  readonly askSecret: (question: string, orInput?: 'or-input') => Promise<string | null>;
};

const said = new WeakMap<ReadonlySet<string>, Set<string>>();

/** Reports a warning, the first time in a run of the program. */
export function warnOnce(context: Context, text: string): void {
  const known = said.get(context.secrets) ?? new Set<string>();
  said.set(context.secrets, known);
  if (!known.has(text)) warn(context, text);
  known.add(text);
}

/** The same without reports; what is not shown here is shown when it comes up again. */
export function quietly(context: Context): Context {
  return { ...context, secrets: new Set(context.secrets), report: () => {} };
}

/** Reports a warning. */
export function warn(context: Context, text: string): void {
  context.report({ type: 'warning', text });
}
