import type { Rule } from '../rule.ts';

export const commitMissing: Rule = {
  id: 'metadata/commit-missing',
  // Those that have a place for a commit.
  forms: ['deb', 'nupkg', 'jar', 'tar.gz', 'zip', 'source-archive'],
  severity: 'note',
  what: 'An artifact that has a place for it names the commit it was built from, and the right one',
  why: 'Years later it is the only sure way from a shipped file back to its source',
  fix: 'Build it with `bevelstone build`, which writes the commit where the form has a place',
  example: 'a .nupkg whose nuspec has no <repository commit="…">',
  check: ({ commit, manifest }, { release }) => {
    if (release === null) return [];
    const path = manifest?.path ?? null;
    if (commit === null) return [{ path, message: 'it does not name the commit it was built from' }];
    if (commit === release.commit) return [];
    return [
      {
        path,
        message: `it names the commit ${commit.slice(0, 12)}, and the release is of ${release.commit.slice(0, 12)}`,
        severity: 'warn',
      },
    ];
  },
};
