import type { RawFinding, Rule } from '../rule.ts';

export const debConffile: Rule = {
  id: 'native/deb-conffile',
  forms: ['deb'],
  severity: 'refuse',
  what: 'Files below /etc are listed as configuration files, and what is listed is inside',
  why: 'Without it the next version overwrites what an administrator changed there',
  fix: 'List every file below /etc in conffiles (Debian Policy §10.7)',
  example: 'etc/harmonics.conf inside, and no conffiles',
  check: ({ entries, control }) => {
    const listed = new Set(
      (control.get('conffiles') ?? '')
        .split('\n')
        .map((line) => line.trim().replace(/^remove-on-upgrade\s+/, ''))
        .filter(Boolean),
    );
    const files = new Set(entries.filter(({ type }) => type === 'file').map(({ path }) => `/${path}`));
    const unlisted = [...files]
      .filter((path) => path.startsWith('/etc/') && !listed.has(path))
      .map(
        (path): RawFinding => ({
          path: path.slice(1),
          message: 'it is a configuration file, and conffiles does not list it',
        }),
      );
    const removed = /^remove-on-upgrade\s/m.test(control.get('conffiles') ?? '');
    const missing = removed
      ? []
      : [...listed]
          .filter((path) => !files.has(path))
          .map((path): RawFinding => ({ path: 'conffiles', message: `it lists ${path}, which is not inside` }));
    return [...unlisted, ...missing];
  },
};
