/** What a file says of its own licence and copyright. */
export type FileHeader = { readonly licences: readonly string[]; readonly copyright: string | null };

const nothing: FileHeader = { licences: [], copyright: null };

/**
 * Reads licence and copyright from the beginning of a file: SPDX short-form identifiers (SPDX 2.3, annex E), REUSE's
 * `SPDX-FileCopyrightText` (REUSE specification 3.3, "Comment headers"), and plain copyright lines.
 * @param head the first bytes; binary ones say nothing.
 */
export function readFileHeader(head: Buffer): FileHeader {
  if (!head.includes('SPDX-') && !head.includes('opyright')) return nothing;
  if (head.subarray(0, 512).includes(0)) return nothing;
  const text = head.toString('utf8');
  const licences = [...text.matchAll(/SPDX-License-Identifier:[ \t]*([^\r\n]+)/g)].flatMap((match) =>
    cleanExpression(match[1] ?? ''),
  );
  const tagged = [...text.matchAll(/SPDX-(?:File|Snippet)CopyrightText:[ \t]*([^\r\n]+)/g)].map((match) =>
    endOf(match[1] ?? ''),
  );
  const plain = [...text.matchAll(/^[^\p{L}\r\n]{0,12}(Copyright[ \t]+(?:\([cC]\)|©|\d{4})[^\r\n]{3,200})/gmu)].map(
    (match) => endOf(match[1] ?? ''),
  );
  const lines = [...new Set(tagged.length > 0 ? tagged : plain)].slice(0, 20);
  return { licences: [...new Set(licences)], copyright: lines.length === 0 ? null : lines.join('\n') };
}

/** An expression as it stands in a comment: what closes the comment is not part of it. */
function cleanExpression(text: string): string[] {
  const plain = endOf(text);
  return /^[A-Za-z0-9(][\w.+()\s:-]*$/.test(plain) ? [plain] : [];
}

function endOf(text: string): string {
  return text.replace(/\s*(?:\*\/|-->|--}}|#}|\*\)|["'`;,]|\\n.*)+\s*$/, '').trim();
}
