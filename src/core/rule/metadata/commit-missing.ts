import type { Rule } from '../rule.ts';

export const commitMissing: Rule = {
  id: 'metadata/commit-missing',
  // Those that have a place for a commit.
  forms: ['deb', 'nupkg', 'jar', 'tar.gz', 'zip', 'source-archive'],
  severity: 'note',
  what: 'Artifacts whose format has a place for it contain the commit they were built from',
  why: 'It is the only reliable way from a shipped file back to its source',
  fix: 'Build it with `bevelstone build`, which writes the commit where the format allows it',
  example: 'a .nupkg whose nuspec has no <repository commit="…">',
  check: ({ commit, manifest }, { release }) => {
    if (release === null) return [];
    const path = manifest?.path ?? null;
    if (commit === null) return [{ path, message: 'it does not contain the commit it was built from' }];
    if (commit === release.commit) return [];
    return [
      {
        path,
        message: `it contains the commit ${commit.slice(0, 12)}, expected ${release.commit.slice(0, 12)}`,
        severity: 'warn',
      },
    ];
  },
};
