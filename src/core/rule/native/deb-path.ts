import type { RawFinding, Rule } from '../rule.ts';

export const debPath: Rule = {
  id: 'native/deb-path',
  forms: ['deb'],
  severity: 'refuse',
  what: 'Files of a Debian package are in standard folders, with the usual modes',
  why: "/usr/local, /home and /tmp belong to the machine's owner; a package would overwrite files there",
  fix: 'Change `to` in the `files` rules; programs go to usr/bin, libraries to usr/lib, headers to usr/include',
  example: 'usr/local/lib/libharmonics.so',
  check: ({ entries, control }) => {
    const found: RawFinding[] = [];
    for (const { path, type, mode } of entries) {
      const plain = path.replace(/\/$/, '');
      const owner = foreign.exec(plain)?.[0];
      if (owner !== undefined && type !== 'folder') found.push({ path, message: `/${owner} is not for packages` });
      else if (type === 'file' && !known.test(plain))
        found.push({ path, message: 'it is not in a folder of the filesystem hierarchy standard', severity: 'warn' });
      if (type === 'file' && /^(?:usr\/)?s?bin\/[^/]+$/.test(plain) && (mode & 0o111) === 0)
        found.push({ path, message: 'the program is not executable' });
      if (type === 'file' && /^usr\/include\/|\.(?:h|pc|a)$/.test(plain) && (mode & 0o111) !== 0)
        found.push({ path, message: 'it is executable but not a program', severity: 'note' });
    }
    const sums = control.get('md5sums');
    if (sums === undefined && entries.some(({ type }) => type === 'file'))
      found.push({ path: 'md5sums', message: 'the control archive has no list of digests', severity: 'note' });
    return found;
  },
};

const foreign = /^(?:usr\/local|home|root|tmp|var\/tmp|mnt|media|proc|sys|dev|run)(?=\/|$)/;
// Filesystem Hierarchy Standard 3.0, §3 and §4, as Debian Policy §9.1 takes it.
const known =
  /^(?:usr\/(?:bin|sbin|lib(?:32|64|exec|x32)?|include|share|games|src|[a-z0-9_]+-linux-gnu\w*)|lib(?:32|64|x32)?|bin|sbin|etc|var\/(?:lib|cache|log|spool|games|opt|mail)|opt|boot|srv)\//;
