import type { Rule } from '../rule.ts';

export const readmeMissing: Rule = {
  id: 'metadata/readme-missing',
  severity: 'refuse',
  what: 'A readme with text lies at the top of the artifact',
  why: 'The page of the package shows it; without it the page is empty',
  fix: "Add README.md to the package's folder and commit it",
  example: 'an npm tarball with package.json and dist only',
  check: ({ manifest, texts, prefix }) => {
    if (manifest === null) return [];
    const readme = [...texts].find(([path]) => /^readme(\.[a-z]+)?$/i.test(path.slice(prefix.length)));
    if (readme === undefined) return [{ path: null, message: 'there is no readme inside' }];
    const [path, text] = readme;
    return text.trim().length >= 20 ? [] : [{ path, message: 'the readme is empty' }];
  },
};
