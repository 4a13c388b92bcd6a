/** The origin of a web address (RFC 6454 §4), such as `https://packages.fenmarsh.example`; null for anything else. */
export function originOf(address: string): string | null {
  if (!/^https?:\/\//i.test(address) || !URL.canParse(address)) return null;
  return new URL(address).origin;
}

/** Whether a text is an origin and no more: no path, no user, no query. */
export function isOrigin(text: string): boolean {
  return originOf(text) !== null && new URL(text).href === `${new URL(text).origin}/`;
}
