import { createHash } from 'node:crypto';
import parseLicence from 'spdx-expression-parse';

/** A licence as SPDX writes it: an expression, with a `LicenseRef-` for licences outside the list. */
export type SpdxLicence = {
  readonly expression: string;
  readonly extracted: { readonly licenseId: string; readonly extractedText: string; readonly name: string } | null;
};

/** Whether a text is an SPDX expression. */
export function isLicenceExpression(text: string): boolean {
  try {
    parseLicence(text);
    return true;
  } catch {
    return false;
  }
}

/** Text that is not an expression gets a `LicenseRef-` of its own (SPDX 2.3 §10.1), the same for the same text. */
export function spdxLicence(licence: string | null): SpdxLicence {
  if (licence === null) return { expression: 'NOASSERTION', extracted: null };
  if (isLicenceExpression(licence)) return { expression: licence, extracted: null };
  const slug =
    licence
      .split('\n')[0]
      ?.replace(/[^A-Za-z0-9.]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 32) ?? '';
  const digest = createHash('sha256').update(licence).digest('hex').slice(0, 8);
  const licenseId = `LicenseRef-${slug === '' ? 'unnamed' : slug}-${digest}`;
  const name = licence.split('\n')[0]?.slice(0, 100) ?? '';
  return { expression: licenseId, extracted: { licenseId, extractedText: licence, name } };
}
