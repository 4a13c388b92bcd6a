import { type ErrorCode, errorCatalog } from './catalog.ts';

/** A place in a file, lines and columns counted from 1. */
export type Place = { readonly file: string; readonly line?: number; readonly column?: number };

/** One of several things wrong at once. */
export type Problem = {
  readonly code: ErrorCode;
  readonly message: string;
  readonly fix: string;
  readonly where: Place | null;
};

/** What the reader of an error needs: what happened, why, and what to do next. Never holds a credential. */
export type ErrorParts = {
  readonly message: string;
  readonly why: string;
  readonly fix: string;
  readonly where?: Place;
  readonly problems?: readonly Problem[];
  /** What went before and is still true: shown as the result beside the error in `--json`. */
  readonly result?: unknown;
  /** How long a server asked to wait before the next try, in milliseconds. */
  readonly retryAfterMs?: number | null;
  /** The run that can be resumed. */
  readonly resume?: string | null;
  readonly cause?: unknown;
};

/** A failure with a stable code and a way out; everything else that is thrown is a fault of our own. */
export class BevelstoneError extends Error {
  override readonly name = 'BevelstoneError';
  readonly code: ErrorCode;
  readonly why: string;
  readonly fix: string;
  readonly where: Place | null;
  readonly problems: readonly Problem[];
  readonly result: unknown;
  readonly retryAfterMs: number | null;
  readonly resume: string | null;

  constructor(code: ErrorCode, parts: ErrorParts) {
    super(parts.message, parts.cause === undefined ? undefined : { cause: parts.cause });
    this.code = code;
    this.why = parts.why;
    this.fix = parts.fix;
    this.where = parts.where ?? null;
    this.problems = parts.problems ?? [];
    this.result = parts.result ?? null;
    this.retryAfterMs = parts.retryAfterMs ?? null;
    this.resume = parts.resume ?? null;
  }

  get exitCode(): number {
    return errorCatalog[this.code].exitCode;
  }
}

/** Whether the value is a BevelstoneError, of one of the codes when any are named. */
export function isBevelstoneError(value: unknown, ...codes: ErrorCode[]): value is BevelstoneError {
  return value instanceof BevelstoneError && (codes.length === 0 || codes.includes(value.code));
}
