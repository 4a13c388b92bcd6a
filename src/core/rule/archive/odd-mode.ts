import { formatMode } from '../../contents/entry.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const oddMode: Rule = {
  id: 'archive/odd-mode',
  forms: allForms,
  severity: 'refuse',
  what: 'Files are readable by all, writable only by their owner, and not setuid or setgid',
  why: 'Unreadable files cannot be used, and world-writable files can be changed by anyone',
  fix: 'Set modes 0644 and 0755, with `mode` in a `files` rule or in the build',
  example: 'bin/tide with mode 4777',
  check: ({ entries, form }) => {
    const { modes, isPrivilegeAllowed } = formDefinitions[form].entries;
    if (modes === 'none') return [];
    return entries.flatMap(({ path, mode, type }): RawFinding[] => {
      // A zip archive made elsewhere may have no modes at all.
      if (type === 'symlink' || mode === 0) return [];
      if (mode === 0o644 || mode === 0o755) return [];
      const shown = `its mode is ${formatMode(mode)}`;
      if ((mode & 0o6000) !== 0 && type === 'file')
        return [{ path, message: `${shown}: it would run with its owner's rights` }];
      if ((mode & 0o6000) !== 0 && !isPrivilegeAllowed)
        return [{ path, message: `${shown}: what is in it would belong to its owner` }];
      if ((mode & 0o002) !== 0 && (mode & 0o1000) === 0)
        return [
          {
            path,
            message: `${shown}: anyone can change it`,
            ...(modes === 'replaced' ? { severity: 'note' } : {}),
          },
        ];
      if ((mode & 0o400) === 0 && modes === 'kept') return [{ path, message: `${shown}: not readable` }];
      if (type === 'file' && (mode & 0o044) === 0 && modes === 'kept')
        return [{ path, message: `${shown}: only its owner can read it`, severity: 'warn' }];
      return [];
    });
  },
};
