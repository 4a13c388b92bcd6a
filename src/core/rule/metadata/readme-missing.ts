import { shownReadme } from '../../page/page.ts';
import { formsWithPage } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const readmeMissing: Rule = {
  id: 'metadata/readme-missing',
  forms: formsWithPage,
  severity: 'refuse',
  what: 'The index page has a readme',
  why: "Without a readme, the package's page on the index is empty",
  fix: "Add README.md to the package's folder, commit it, and list it in the manifest if the format requires it",
  example: 'an npm tarball with package.json and dist only; a .nupkg whose nuspec has no <readme>',
  check: (artifact) => {
    const { readme, problem } = shownReadme(artifact);
    if (readme === null) return [{ path: null, message: problem ?? 'there is no readme inside' }];
    return readme.text.trim().length >= 20 ? [] : [{ path: readme.path, message: 'the readme is empty' }];
  },
};
