import { isVersion } from '../../version/version.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

// PEP 440, appendix B, without the spellings that it normalises away.
const pep440 = /^(?:\d+!)?\d+(?:\.\d+)*(?:(?:a|b|rc)\d+)?(?:\.post\d+)?(?:\.dev\d+)?(?:\+[a-z0-9]+(?:\.[a-z0-9]+)*)?$/;

const grammars: Readonly<Record<string, { readonly isValid: (text: string) => boolean; readonly says: string }>> = {
  'npm-tarball': { isValid: isVersion, says: 'not a SemVer 2.0.0 version' },
  wheel: { isValid: (text) => pep440.test(text), says: 'not a normalised PEP 440 version' },
  sdist: { isValid: (text) => pep440.test(text), says: 'not a normalised PEP 440 version' },
  nupkg: {
    isValid: (text) => isVersion(text) || /^\d+(?:\.\d+){1,3}(?:-[0-9A-Za-z.-]+)?$/.test(text),
    says: 'not a version of two to four numbers',
  },
  deb: {
    isValid: (text) => /^(?:\d+:)?\d[A-Za-z0-9.+~-]*$/.test(text),
    says: 'not a version that begins with a digit (Debian Policy §5.6.12)',
  },
};

export const versionInvalid: Rule = {
  id: 'metadata/version-invalid',
  forms: allForms,
  severity: 'refuse',
  what: "The version is written in the ecosystem's own scheme",
  why: 'A registry rejects it, or treats a prerelease as the stable version that everyone gets',
  fix: 'Build it with `bevelstone build`, which spells the version for each ecosystem',
  example: 'Version: 2.0.0-early.1 in a wheel, which PEP 440 does not know',
  check: ({ form, manifest }) => {
    const version = manifest?.common.version ?? null;
    const grammar = grammars[form];
    if (version === null || grammar === undefined || grammar.isValid(version)) return [];
    return [{ path: manifest?.path ?? null, message: `"${version}" is ${grammar.says}` }];
  },
};
