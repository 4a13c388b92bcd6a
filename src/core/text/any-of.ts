/** Matches wherever one of the patterns does, whatever their case: one search tells of most texts that none of them applies. */
export function anyOf(patterns: readonly RegExp[]): RegExp {
  return new RegExp(patterns.map(({ source }) => `(?:${source})`).join('|'), 'i');
}
