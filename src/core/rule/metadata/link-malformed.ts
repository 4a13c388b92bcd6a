import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const linkMalformed: Rule = {
  id: 'metadata/link-malformed',
  forms: allForms,
  severity: 'warn',
  what: 'Links in the manifest are absolute public URLs',
  why: 'An index shows them with the package; broken links keep users from the source and the issue tracker',
  fix: 'Write an absolute URL that begins with https://',
  example: '"homepage": "fenmarsh"',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    return formDefinitions[form].metadata.links(manifest.json).flatMap(({ field, url }): RawFinding[] => {
      const why = reasonAgainst(url, field);
      return why === null ? [] : [{ path: manifest.path, message: `\`${field}\` is "${url.slice(0, 120)}": ${why}` }];
    });
  },
};

function reasonAgainst(url: string, field: string): string | null {
  const isRepository = field.startsWith('repository');
  // The npm client's own short forms of a repository, and mail addresses for bugs.
  if (isRepository && /^(?:[a-z]+:)?[\w.-]+\/[\w.-]+$/i.test(url)) return null;
  if (field.startsWith('bugs') && /^(?:mailto:)?[^\s@]+@[^\s@]+\.[^\s@]+$/.test(url)) return null;
  if (isRepository && /^(?:git@|[\w.-]+@)[\w.-]+:/.test(url)) return null;
  const plain = url.replace(/^git\+/, '');
  // `host:path` is a short form of the client's too.
  if (isRepository && /^[a-z]+:[\w.-]+(?:\/[\w.-]+)?$/i.test(url)) return null;
  if (!/^[a-z][a-z0-9+.-]*:/i.test(plain)) return 'it has no https:// before it';
  if (!URL.canParse(plain)) return 'it is not a URL';
  const { protocol, hostname } = new URL(plain);
  if (!['http:', 'https:', 'git:', 'ssh:', 'ftp:', 'svn:'].includes(protocol))
    return `browsers cannot open ${protocol}`;
  if (hostname === 'localhost' || /^127\.|^192\.168\.|^10\./.test(hostname))
    return 'it leads to a machine that others cannot reach';
  return null;
}
