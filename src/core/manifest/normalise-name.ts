/** A project's name as indexes compare it (PEP 503, "Normalized Names"). */
export function normaliseName(name: string): string {
  return name.replace(/[-_.]+/g, '-').toLowerCase();
}
