/** Deeper than anything that people or programs nest; recursion over what is deeper would run out of stack. */
export const maxNesting = 200;

/**
 * The value of a JSON text (RFC 8259), without a byte order mark before it.
 * @throws SyntaxError for other texts, and for objects and lists that are nested more than 200 deep (§9 allows a limit).
 */
export function parseJson(text: string): unknown {
  const plain = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
  if (isDeep(plain)) throw new SyntaxError(`objects and lists are nested more than ${maxNesting} deep`);
  return JSON.parse(plain);
}

/** The same, null for a text that is none. */
export function jsonOrNull(text: string): unknown {
  try {
    return parseJson(text);
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    return null;
  }
}

function isDeep(text: string): boolean {
  return hasManyBrackets(text) && isNestedDeep(text);
}

/** Most texts have fewer of them than may be nested; looking for one letter is several times as fast as looking at each. */
function hasManyBrackets(text: string): boolean {
  let left = maxNesting;
  for (const bracket of ['{', '['])
    for (let at = text.indexOf(bracket); at !== -1; at = text.indexOf(bracket, at + 1)) if (--left < 0) return true;
  return false;
}

function isNestedDeep(text: string): boolean {
  let depth = 0;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code === 0x22) at = endOfString(text, at);
    else if (code === 0x5b || code === 0x7b) {
      if (++depth > maxNesting) return true;
    } else if (code === 0x5d || code === 0x7d) depth--;
  }
  return false;
}

/** The place of the quote that ends a string; behind the text when none does. */
function endOfString(text: string, start: number): number {
  for (let at = start + 1; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code === 0x5c) at++;
    else if (code === 0x22) return at;
  }
  return text.length;
}
