import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

const maxLetters = 60;

export const keywordInvalid: Rule = {
  id: 'metadata/keyword-invalid',
  forms: allForms,
  severity: 'warn',
  what: 'Keywords are a list of short, different words',
  why: 'People search by keywords; sentences and long texts are not found',
  fix: 'Write a list of single words or short terms',
  example: '"keywords": "tide, water"',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json } = manifest;
    const keywords = formDefinitions[form].metadata.keywords(json);
    if (keywords === null) return [];
    if (keywords === 'not a list') return [{ path, message: '`keywords` is not a list', severity: 'note' }];
    return problemsOf(keywords, path);
  },
};

function problemsOf(words: readonly unknown[], path: string): RawFinding[] {
  const seen = new Set<string>();
  return words.flatMap((word): RawFinding[] => {
    if (typeof word !== 'string' || word.trim() === '')
      return [{ path, message: 'a keyword is empty or not a string' }];
    if (word.length > maxLetters)
      return [{ path, message: `the keyword "${word.slice(0, 40)}…" has ${word.length} characters` }];
    const folded = word.trim().toLowerCase();
    if (seen.has(folded)) return [{ path, message: `the keyword "${word}" is listed twice`, severity: 'note' }];
    seen.add(folded);
    return [];
  });
}
