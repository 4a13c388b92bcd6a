// C0 and C1 controls, DEL, and the characters that reorder or hide text (Unicode UAX #9 §2, zero-width characters).
const unsafe = /[\u0000-\u001f\u007f-\u009f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]/g;

/** Text from outside made safe for a terminal: every control or direction character becomes `?`. */
export function cleanText(text: string): string {
  return text.replace(unsafe, '?');
}

/** Like cleanText for text of several lines: line breaks stay, tabs become spaces. */
export function cleanLines(text: string): string {
  return text
    .split(/\r\n|\n|\r/)
    .map((line) => cleanText(line.replaceAll('\t', '  ')))
    .join('\n');
}
