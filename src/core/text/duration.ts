const units: Readonly<Record<string, number>> = { s: 1000, min: 60_000, h: 3_600_000 };

/** Reads `90 s`, `10 min` or `2 h`. @returns milliseconds, or null when the text is not a duration. */
export function parseDuration(text: string): number | null {
  const match = /^(\d+(?:\.\d+)?) ?(s|min|h)$/.exec(text);
  return match === null ? null : Number(match[1]) * (units[match[2] ?? 's'] ?? 1000);
}

/** A length of time for people: `45 s`, `10 min`, `2 h`. */
export function formatDuration(durationMs: number): string {
  if (durationMs % 3_600_000 === 0) return `${durationMs / 3_600_000} h`;
  return durationMs % 60_000 === 0 ? `${durationMs / 60_000} min` : `${durationMs / 1000} s`;
}
