import type { Rule } from '../rule.ts';

export const sourceOnly: Rule = {
  id: 'python/source-only',
  forms: ['sdist'],
  severity: 'warn',
  what: 'A release with a source distribution has a wheel too',
  why: 'Without a wheel every install runs the build on the machine of the user, with the tools that it needs',
  fix: 'Add an artifact with `form: wheel` to the package',
  example: 'artifacts: [{ form: sdist }]',
  check: (_, { beside }) =>
    beside === null || beside.includes('wheel') ? [] : [{ path: null, message: 'the release has no wheel beside it' }],
};
