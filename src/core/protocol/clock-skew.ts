/** Clocks further apart than this, in milliseconds, make signatures fail and certificates invalid. */
export const mostSkewMs = 5 * 60_000;
