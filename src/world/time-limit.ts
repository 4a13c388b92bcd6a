const isTestBuild = process.env['BEVELSTONE_TEST_BUILD'] === 'yes';

/** How much shorter all limits are: 1, but in a test build what `BEVELSTONE_TIME_SCALE` says. */
const scale = isTestBuild ? Number(process.env['BEVELSTONE_TIME_SCALE'] ?? 1) : 1;

/** A line of 128 kbit/s still gets everything through. */
const slowestBytesPerMs = 16;

/** Limits of one request, in milliseconds. */
export const timeLimits = {
  /** Until a connection stands. */
  connectMs: 10_000 * scale,
  /** Until the answer begins, once all of the request is sent. */
  headersMs: 60_000 * scale,
  /** Between two pieces of an answer. */
  idleMs: 60_000 * scale,
  /** For all of it, without the time that the bytes take. */
  wholeMs: 120_000 * scale,
} as const;

/** How long so many bytes may take, beside `wholeMs`. */
export function transferMs(bytes: number): number {
  return bytes / slowestBytesPerMs;
}
