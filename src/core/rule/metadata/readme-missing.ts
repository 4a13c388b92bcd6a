import { formsWithPage, type Rule } from '../rule.ts';

export const readmeMissing: Rule = {
  id: 'metadata/readme-missing',
  severity: 'refuse',
  what: 'A readme with text lies at the top of the artifact',
  why: 'The page of the package shows it; without it the page is empty',
  fix: "Add README.md to the package's folder and commit it",
  example: 'an npm tarball with package.json and dist only',
  check: ({ form, readme }) => {
    if (!formsWithPage.has(form)) return [];
    if (readme === null) return [{ path: null, message: 'there is no readme inside' }];
    return readme.text.trim().length >= 20 ? [] : [{ path: readme.path, message: 'the readme is empty' }];
  },
};
