/** A text as a regular expression that matches just it. */
export function quotePattern(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
}
