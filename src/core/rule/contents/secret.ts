import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

const shownPath = /(?:^|\/)(?:METADATA|PKG-INFO|docs?\/.*)$|\.(?:md|rst|txt|html?)$/i;

export const secret: Rule = {
  id: 'contents/secret',
  forms: allForms,
  severity: 'refuse',
  what: 'No private keys, access tokens or passwords',
  why: 'Uploads are copied within minutes and stay public',
  fix: 'Remove it, and revoke it at once if it was ever pushed or shared',
  example: 'a private key block in config/deploy.pem, or an address with a password',
  check: ({ facts }) =>
    facts.marks
      .filter(({ kind }) => kind === 'secret')
      .map(({ path, what, line, severity, inside }): RawFinding => {
        // Examples and tests contain keys without access; they are still worth a look.
        const isTrial = /(?:^|\/)(?:tests?|__tests__|fixtures?|testdata|examples?)\/|(?:^|\/)tests?\.\w+$/i.test(path);
        // Readmes show what a web token looks like; nothing tells one that opens something.
        const isShown = what.includes('web token') && shownPath.test(path);
        const where =
          inside === undefined ? `line ${line}` : inside === '' ? 'a file in it' : `line ${line} of ${inside} in it`;
        return {
          path,
          message: `${where} looks like ${what}`,
          ...(isTrial || isShown ? { severity: 'warn' } : severity === undefined ? {} : { severity }),
        };
      }),
};
