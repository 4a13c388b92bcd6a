import { formDefinitions } from '../../form/definitions.ts';
import { shownReadme } from '../../page/page.ts';
import { readmeProblems } from '../../page/readme-problems.ts';
import { formsWithPage } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const readmeBroken: Rule = {
  id: 'metadata/readme-broken',
  forms: formsWithPage,
  severity: 'warn',
  what: 'The readme renders correctly on the index page',
  why: 'An index shows only the readme: relative images and links break, and a wrong format shows markup instead of text',
  fix: 'Use absolute URLs, close every code block, and declare the correct format',
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
