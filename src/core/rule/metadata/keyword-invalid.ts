import type { RawFinding, Rule } from '../rule.ts';

const mostLetters = 60;

export const keywordInvalid: Rule = {
  id: 'metadata/keyword-invalid',
  severity: 'warn',
  what: 'Keywords are a list of short, different words',
  why: 'People find packages by them; a sentence or one long text is found by nobody',
  fix: 'Write a list of single words or short terms',
  example: '"keywords": "tide, water"',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json } = manifest;
    if (form === 'npm-tarball') {
      const { keywords } = json;
      if (keywords === undefined) return [];
      if (!Array.isArray(keywords)) return [{ path, message: '`keywords` is no list', severity: 'note' }];
      return problemsOf(keywords, path);
    }
    if (form === 'nupkg')
      return problemsOf(
        String(json['tags'] ?? '')
          .split(/\s+/)
          .filter(Boolean),
        path,
      );
    if (form !== 'wheel' && form !== 'sdist') return [];
    return problemsOf(
      String(json['Keywords'] ?? '')
        .split(',')
        .filter(Boolean),
      path,
    );
  },
};

function problemsOf(words: readonly unknown[], path: string): RawFinding[] {
  const seen = new Set<string>();
  return words.flatMap((word): RawFinding[] => {
    if (typeof word !== 'string' || word.trim() === '') return [{ path, message: 'a keyword is empty or no text' }];
    if (word.length > mostLetters)
      return [{ path, message: `the keyword "${word.slice(0, 40)}…" has ${word.length} letters` }];
    const folded = word.trim().toLowerCase();
    if (seen.has(folded)) return [{ path, message: `the keyword "${word}" is there twice`, severity: 'note' }];
    seen.add(folded);
    return [];
  });
}
