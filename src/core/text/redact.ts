const mask = '[redacted]';

/**
 * Removes secrets from text that is about to be shown or stored: as they are, URL-encoded and in base64
 * (alone, and at each of the three alignments inside a longer base64 text).
 * @param secrets texts of 6 characters or more; shorter ones are ignored, they would mangle ordinary words.
 */
export function redact(text: string, secrets: Iterable<string>): string {
  let safe = text;
  for (const secret of secrets) {
    if (secret.length < 6) continue;
    for (const form of spellings(secret)) safe = safe.replaceAll(form, mask);
  }
  return safe;
}

function spellings(secret: string): string[] {
  const forms = [secret, encodeURIComponent(secret)];
  for (const lead of [0, 1, 2]) {
    const bytes = Buffer.concat([Buffer.alloc(lead), Buffer.from(secret)]);
    // The characters that also hold bits of the neighbours are left out: what remains is the same in any text.
    const start = lead === 0 ? 0 : lead + 1;
    const end = Math.floor((bytes.length * 8) / 6);
    for (const encoding of ['base64', 'base64url'] as const) forms.push(bytes.toString(encoding).slice(start, end));
  }
  return [...new Set(forms)].sort((a, b) => b.length - a.length);
}
