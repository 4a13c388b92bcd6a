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
  /** Asks the person for a secret, or takes it from standard input; null when there is neither. */
  readonly askSecret: (question: string, orInput?: 'or-input') => Promise<string | null>;
};

/** Reports a warning. */
export function warn(context: Context, text: string): void {
  context.report({ type: 'warning', text });
}
