/**
 * The candidate with the fewest edits to the word, for "did you mean".
 * @returns null when none is near: more than a third of the word would have to change.
 */
export function nearest(word: string, candidates: Iterable<string>): string | null {
  // Such a word is not a typing mistake, and counting its edits would take long.
  if (word.length > 100) return null;
  let best: string | null = null;
  let fewest = Math.max(1, Math.floor(word.length / 3)) + 1;
  for (const candidate of candidates) {
    const edits = countEdits(word.toLowerCase(), candidate.toLowerCase());
    if (edits < fewest) [best, fewest] = [candidate, edits];
  }
  return best;
}

/** Insertions, deletions, replacements and swaps of neighbours (optimal string alignment). */
export function countEdits(a: string, b: string): number {
  let beforeLast: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, column) => column);
  for (let row = 1; row <= a.length; row++) {
    const current = [row];
    for (let column = 1; column <= b.length; column++) {
      const same = a[row - 1] === b[column - 1];
      let edits = Math.min(
        (last[column] ?? 0) + 1,
        (current[column - 1] ?? 0) + 1,
        (last[column - 1] ?? 0) + (same ? 0 : 1),
      );
      const swapped = row > 1 && column > 1 && a[row - 1] === b[column - 2] && a[row - 2] === b[column - 1];
      if (swapped) edits = Math.min(edits, (beforeLast[column - 2] ?? 0) + 1);
      current.push(edits);
    }
    [beforeLast, last] = [last, current];
  }
  return last[b.length] ?? 0;
}
