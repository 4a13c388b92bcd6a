import { shownReadme } from '../../page/page.ts';
import { readmeProblems } from '../../page/readme-problems.ts';
import { formsWithPage, type RawFinding, type Rule } from '../rule.ts';

export const readmeBroken: Rule = {
  id: 'metadata/readme-broken',
  severity: 'warn',
  what: 'The readme reads on the index page as it does in the repository',
  why: 'An index has no files beside the readme: relative pictures and links break, and the wrong format shows marks instead of text',
  fix: 'Use full addresses, close every code block, and declare the format that the text is written in',
  example: '![tide](docs/tide.png), or Markdown declared as reStructuredText',
  check: (artifact) => {
    if (!formsWithPage.has(artifact.form)) return [];
    const { readme } = shownReadme(artifact);
    if (readme === null) return [];
    // Some indexes of the npm client fetch pictures from the repository that the manifest names.
    const isHelped = artifact.form === 'npm-tarball' && artifact.manifest?.json['repository'] !== undefined;
    return readmeProblems(readme).map(
      (message): RawFinding => ({
        path: readme.path,
        message,
        ...(isHelped && message.startsWith('the picture') ? { severity: 'note' } : {}),
      }),
    );
  },
};
