import { escapeHtml } from './html.ts';

const mask = '[redacted]';

/**
 * Whether a secret cannot be searched for in texts: it is shorter than 8 characters, a plain word or a number, so the search
 * would also find ordinary text. Such secrets stay out of texts only because no code puts them there.
 */
export function isPlainWord(secret: string): boolean {
  return secret.length < 8 || /^(?:[A-Za-z]{1,15}|\d{1,15})$/.test(secret);
}

/**
 * Removes secrets from one text that is about to be shown or stored: as they are, URL-encoded, escaped as in JSON and HTML,
 * and in base64 (alone, and at each of the three alignments inside a longer base64 text). Call it before a text is escaped or shortened.
 * @param secrets those that are too plain to search for are ignored (`isPlainWord`).
 */
export function redact(text: string, secrets: Iterable<string>): string {
  let safe = text;
  for (const form of searchedForms(secrets)) safe = safe.replaceAll(form, mask);
  return safe;
}

/**
 * The same for every text inside a value, before the value is written as JSON: escaped text hides a secret with quotes from
 * a search, and a search that knows nothing of JSON could break it. Keys are ours and stay.
 */
export function redactValue<Value>(value: Value, secrets: ReadonlySet<string>): Value {
  const forms = searchedForms(secrets);
  return forms.length === 0 ? value : (redactInside(value, forms) as Value);
}

/** The beginning of a text from outside. The secrets are removed first: half a secret is not found any more. */
export function clipRedacted(text: string, maxLength: number, secrets: Iterable<string>): string {
  const safe = redact(text, secrets);
  return safe.length <= maxLength ? safe : `${safe.slice(0, maxLength - 1)}…`;
}

function redactInside(value: unknown, forms: readonly string[]): unknown {
  if (typeof value === 'string') return forms.reduce((text, form) => text.replaceAll(form, mask), value);
  if (Array.isArray(value)) return value.map((item) => redactInside(item, forms));
  if (value === null || typeof value !== 'object' || !isPlain(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, redactInside(inner, forms)]));
}

/** Objects with a JSON form of their own, such as dates, hold no text of others. */
function isPlain(value: object): boolean {
  const prototype = Object.getPrototypeOf(value) as unknown;
  return prototype === Object.prototype || prototype === null;
}

function searchedForms(secrets: Iterable<string>): string[] {
  const forms = [...secrets].filter((secret) => !isPlainWord(secret)).flatMap(spellings);
  // The longest first: a part of it that is a secret too must not break it apart.
  return [...new Set(forms)].sort((a, b) => b.length - a.length);
}

function spellings(secret: string): string[] {
  const forms = [secret, encodeURIComponent(secret), JSON.stringify(secret).slice(1, -1), escapeHtml(secret)];
  for (const lead of [0, 1, 2]) {
    const bytes = Buffer.concat([Buffer.alloc(lead), Buffer.from(secret)]);
    // The characters that also hold bits of the neighbours are left out: what remains is the same in any text.
    const start = lead === 0 ? 0 : lead + 1;
    const end = Math.floor((bytes.length * 8) / 6);
    for (const encoding of ['base64', 'base64url'] as const) forms.push(bytes.toString(encoding).slice(start, end));
  }
  return forms;
}
