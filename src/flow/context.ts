/** Progress of the work. Texts may contain names from outside; the view cleans them. */
export type ProgressEvent =
  /** What comes next belongs together under this title. */
  | { readonly type: 'group'; readonly title: string }
  | { readonly type: 'started'; readonly what: string }
  | { readonly type: 'finished'; readonly what: string; readonly detail?: string }
  | { readonly type: 'skipped'; readonly what: string; readonly why: string }
  | { readonly type: 'failed'; readonly what: string; readonly why: string }
  /** How far something that was started has come, in bytes; `of` is null where the whole is not known. */
  | { readonly type: 'moved'; readonly what: string; readonly bytes: number; readonly of: number | null }
  /** Something that was started waits for others. */
  | { readonly type: 'waiting'; readonly what: string; readonly why: string }
  | { readonly type: 'note'; readonly text: string }
  /** Of interest only to someone who asks for more. */
  | { readonly type: 'detail'; readonly text: string }
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
  /** Asks the person for a text, with the answer that an empty one stands for; null without a terminal. */
  readonly askText: ((question: string, usual: string) => Promise<string>) | null;
  /** Asks the person for a secret, or takes it from standard input; null when there is neither. */
  readonly askSecret: (question: string, orInput?: 'or-input') => Promise<string | null>;
};

const reported = new WeakMap<ReadonlySet<string>, Set<string>>();

/** Reports something the first time in a run of the program. */
function reportOnce(context: Context, event: ProgressEvent & { readonly text: string }): void {
  const known = reported.get(context.secrets) ?? new Set<string>();
  reported.set(context.secrets, known);
  if (!known.has(event.text)) context.report(event);
  known.add(event.text);
}

/** Reports a warning, the first time in a run of the program. */
export function warnOnce(context: Context, text: string): void {
  reportOnce(context, { type: 'warning', text });
}

/** Reports, once, something that only `--verbose` shows. */
export function detailOnce(context: Context, text: string): void {
  reportOnce(context, { type: 'detail', text });
}

/** The same without reports; a note that is dropped here is shown the next time it occurs. */
export function quietly(context: Context): Context {
  return { ...context, secrets: new Set(context.secrets), report: () => {} };
}

/** @returns what counts the bytes of something that was started, and reports the sum. */
export function countMoved(context: Context, what: string, of: number | null): (bytes: number) => void {
  let sum = 0;
  return (bytes) => {
    sum += bytes;
    context.report({ type: 'moved', what, bytes: sum, of });
  };
}

/** Reports the start and the end of an operation, also of a failed one. @throws the error of the operation. */
export async function during<Value>(context: Context, what: string, work: () => Promise<Value>): Promise<Value> {
  context.report({ type: 'started', what });
  try {
    const value = await work();
    context.report({ type: 'finished', what });
    return value;
  } catch (error) {
    context.report({ type: 'failed', what, why: 'see below' });
    throw error;
  }
}

/** Reports a warning. */
export function warn(context: Context, text: string): void {
  context.report({ type: 'warning', text });
}
