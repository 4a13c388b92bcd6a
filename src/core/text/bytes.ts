const units = ['B', 'kB', 'MB', 'GB', 'TB'];

/** A size for people, decimal units with at most one digit after the point: `0 B`, `1.4 kB`, `300 MB`. */
export function formatBytes(sizeBytes: number): string {
  let value = sizeBytes;
  let unit = 0;
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  const digits = unit === 0 || value >= 99.5 ? 0 : 1;
  return `${value.toFixed(digits).replace(/\.0$/, '')} ${units[unit]}`;
}

/** Reads `200 kB`, `1.5 MB` or `300 B` (decimal units). @returns bytes, or null when the text is not a size. */
export function parseBytes(text: string): number | null {
  const match = /^(\d+(?:\.\d+)?) ?(B|kB|MB|GB|TB)$/.exec(text);
  if (match === null) return null;
  return Math.round(Number(match[1]) * 1000 ** units.indexOf(match[2] ?? 'B'));
}
