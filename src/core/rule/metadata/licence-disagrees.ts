import parseLicence from 'spdx-expression-parse';
import { insidePath } from '../../form/artifact.ts';
import { identifyLicence } from '../../licence/licence-text.ts';
import { formsWithPage } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const licenceDisagrees: Rule = {
  id: 'metadata/licence-disagrees',
  forms: formsWithPage,
  severity: 'refuse',
  what: 'The licence in the manifest matches the licence text',
  why: 'Tools read the field, lawyers read the text; if they differ it is unclear what is allowed',
  fix: 'Correct the field, or include the right text',
  example: '"license": "MIT" and the text of Apache-2.0 in LICENSE',
  check: ({ texts, manifest, prefix }) => {
    const licence = manifest?.common.licence ?? null;
    const named = licence === null ? null : identifiersIn(licence);
    if (named === null) return [];
    return [...texts].flatMap(([path, text]): RawFinding[] => {
      if (
        !/^(?:[^/]+\.dist-info\/(?:licenses\/)?)?(?:licen[cs]e|copying)(?:\.(?:md|txt|rst))?$/i.test(
          insidePath(path, prefix),
        )
      )
        return [];
      const found = identifyLicence(text);
      if (found === null || named.some((name) => isSame(name, found))) return [];
      return [{ path, message: `it contains the text of ${found}, but the manifest says ${licence}` }];
    });
  },
};

/** Every identifier of an expression; null when it is none. */
function identifiersIn(licence: string): string[] | null {
  type Parsed = ReturnType<typeof parseLicence>;
  const collect = (node: Parsed): string[] =>
    'license' in node ? [node.license] : 'left' in node ? [...collect(node.left), ...collect(node.right)] : [];
  try {
    return collect(parseLicence(licence));
  } catch {
    return null;
  }
}

/** The same text serves GPL-3.0-only, GPL-3.0-or-later and GPL-3.0. */
function isSame(named: string, found: string): boolean {
  const plain = (id: string) =>
    id
      .replace(/-(?:only|or-later)$|\+$/, '')
      .replace(/^BSD-.*/, 'BSD')
      .replace(/^MIT.*|^ISC$|^0BSD$/, 'MIT');
  // The lesser licence is written as additions to the whole one, which comes along.
  return plain(named) === plain(found) || plain(named) === `L${plain(found)}`;
}
