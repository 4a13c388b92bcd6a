/** When a request failed that may be made again. */
export type Failure = {
  /** How often it was tried, from 1. */
  readonly attempt: number;
  /** What the server asked to wait, in milliseconds; null when it said nothing. */
  readonly retryAfterMs: number | null;
  /** Between 0 and 1. */
  readonly random: number;
};

/** The longest that a server may make us wait. */
const patienceMs = 120_000;
const maxAttemptCount = 4;
const firstDelayMs = 250;

/**
 * How long to wait before the next try: what the server asks (RFC 9110 §10.2.3), else twice as long each time; with up to
 * half as much again at random, so that many clients do not come back together.
 * @returns milliseconds, or null to give up.
 */
export function retryDelay({ attempt, retryAfterMs, random }: Failure): number | null {
  if (attempt >= maxAttemptCount) return null;
  if (retryAfterMs !== null && retryAfterMs > patienceMs) return null;
  const base = retryAfterMs ?? firstDelayMs * 2 ** (attempt - 1);
  return Math.round(base * (1 + random / 2));
}

/** Reads `Retry-After`: seconds or an HTTP date (RFC 9110 §10.2.3). @returns milliseconds, null when it says nothing. */
export function parseRetryAfter(value: unknown, now: Date): number | null {
  if (typeof value !== 'string' || value.trim() === '') return null;
  if (/^\d{1,9}$/.test(value.trim())) return Number(value) * 1000;
  const at = Date.parse(value);
  return Number.isNaN(at) ? null : Math.max(0, at - now.getTime());
}

/** Whether a status says "not now" rather than "no" (RFC 9110 §15.6, RFC 6585 §4). */
export function isPassing(status: number): boolean {
  return [408, 429, 500, 502, 503, 504].includes(status);
}
