import { formDefinitions } from '../../form/definitions.ts';
import { shownReadme } from '../../page/page.ts';
import { readmeProblems } from '../../page/readme-problems.ts';
import { formsWithPage } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const readmeBroken: Rule = {
  id: 'metadata/readme-broken',
  forms: formsWithPage,
  severity: 'warn',
  what: 'The readme reads on the index page as it does in the repository',
  why: 'An index has no files beside the readme: relative pictures and links break, and the wrong format shows marks instead of text',
  fix: 'Use full addresses, close every code block, and declare the format that the text is written in',
  example: '![tide](docs/tide.png), or Markdown declared as reStructuredText',
  check: (artifact) => {
    const { readme } = shownReadme(artifact);
    if (readme === null) return [];
    const { page } = formDefinitions[artifact.form];
    const isHelped = page?.hasRepositoryPictures(artifact.manifest?.json ?? {}) === true;
    return readmeProblems(readme).map(
      (message): RawFinding => ({
        path: readme.path,
        message,
        ...(isHelped && message.startsWith('the picture') ? { severity: 'note' } : {}),
      }),
    );
  },
};
