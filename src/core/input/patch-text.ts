/** What of a patch is for people, and the changes themselves. */
export type PatchText = { readonly header: string; readonly changes: string };

/** Where the changes begin: a git diff, or a plain one with its two names. */
const begin = /^(?:diff --git |--- [^\n]*\n\+\+\+ |Index: )/m;

/** Takes a patch apart. A patch without changes is all header. */
export function splitPatch(text: string): PatchText {
  const at = begin.exec(text)?.index ?? text.length;
  return { header: text.slice(0, at), changes: text.slice(at) };
}

/** What a patch says it does: its `Subject:` without what stands in brackets (RFC 5322 §2.2.3 for lines that go on), else its first line. */
export function patchSubject(header: string): string | null {
  const unfolded = header.replace(/\r?\n[ \t]+/g, ' ');
  const subject = /^Subject:[ \t]*(.*)$/im.exec(unfolded)?.[1]?.replace(/^(?:\[[^\]]*\]\s*)+/, '');
  const first = header.split('\n').find((line) => line.trim() !== '' && !/^(?:From |[A-Za-z-]+: |---)/.test(line));
  const text = (subject ?? first ?? '').trim();
  return text === '' ? null : text;
}
