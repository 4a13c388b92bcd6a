import type { RawFinding, Rule } from '../rule.ts';

export const debConffile: Rule = {
  id: 'native/deb-conffile',
  forms: ['deb'],
  severity: 'refuse',
  what: 'Files in /etc are listed in conffiles, and conffiles lists only existing files',
  why: 'Otherwise the next version overwrites changes made by the administrator',
  fix: 'List every file in /etc in conffiles (Debian Policy §10.7)',
  example: 'etc/harmonics.conf without conffiles',
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
          message: 'it is a configuration file that is not listed in conffiles',
        }),
      );
    const removed = /^remove-on-upgrade\s/m.test(control.get('conffiles') ?? '');
    const missing = removed
      ? []
      : [...listed]
          .filter((path) => !files.has(path))
          .map((path): RawFinding => ({ path: 'conffiles', message: `it lists ${path}, which does not exist` }));
    return [...unlisted, ...missing];
  },
};
