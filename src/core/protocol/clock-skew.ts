/** Clocks further apart than this, in milliseconds, make signatures fail and certificates invalid. */
export const maxSkewMs = 5 * 60_000;
