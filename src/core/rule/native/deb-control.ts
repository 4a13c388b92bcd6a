import type { RawFinding, Rule } from '../rule.ts';

export const debControl: Rule = {
  id: 'native/deb-control',
  severity: 'refuse',
  what: 'The control file of a Debian package has the fields it must have, each well-formed',
  why: 'Package managers refuse it, or install it where it does not belong',
  fix: 'Give the artifact `fields` for what is missing; Debian Policy §5 says how each is written',
  example: 'no Maintainer, or Depends: libc6 >= 2.31 without brackets',
  check: ({ form, manifest, binaries }) => {
    if (form !== 'deb' || manifest === null) return [];
    const { path, json } = manifest;
    const field = (name: string) => (typeof json[name] === 'string' ? String(json[name]) : null);
    const found: RawFinding[] = [];
    const add = (message: string, severity?: 'warn' | 'note') =>
      found.push({ path, message, ...(severity === undefined ? {} : { severity }) });
    // Debian Policy §5.3: mandatory in a binary package's control file.
    for (const name of ['Package', 'Version', 'Architecture', 'Maintainer', 'Description'])
      if (field(name) === null) add(`it has no ${name}`);
    const maintainer = field('Maintainer');
    if (maintainer !== null && !/^.+ <[^<>@\s]+@[^<>\s]+>$/.test(maintainer))
      add(`Maintainer is "${maintainer}", not NAME <ADDRESS>`);
    for (const name of [
      'Depends',
      'Pre-Depends',
      'Recommends',
      'Suggests',
      'Conflicts',
      'Breaks',
      'Provides',
      'Replaces',
    ])
      for (const part of (field(name) ?? '')
        .split(/[,|]/)
        .map((one) => one.trim())
        .filter(Boolean))
        if (!relation.test(part)) add(`${name} has "${part}", which is no relation to a package`);
    const description = field('Description') ?? '';
    const [synopsis = ''] = description.split('\n');
    if (synopsis.length > 80)
      add(`the first line of Description has ${synopsis.length} characters, and 80 are shown`, 'warn');
    if (description !== '' && !description.includes('\n')) add('Description has no text below its first line', 'note');
    const architecture = field('Architecture');
    const platforms = new Set(
      [...binaries.values()].flatMap((kind) => (kind.type === 'native' ? [kind.platform] : [])),
    );
    if (architecture === 'all' && platforms.size > 0)
      add(`Architecture is all, and machine code for ${[...platforms][0]} is inside`);
    const own = architectures[architecture ?? ''];
    for (const platform of platforms)
      if (own !== undefined && platform !== own)
        add(`Architecture is ${architecture}, and machine code for ${platform} is inside`);
    return found;
  },
};

// Debian Policy §7.1, with the architecture qualifiers of multiarch.
const relation = /^[a-z0-9][a-z0-9+.-]+(?::[a-z0-9-]+)?(?:\s*\((?:<<|<=|=|>=|>>)\s*[^\s()]+\))?(?:\s*\[[^\]]+\])?$/;

const architectures: Readonly<Record<string, string>> = {
  amd64: 'linux-x64',
  arm64: 'linux-arm64',
  i386: 'linux-ia32',
  armhf: 'linux-arm',
  riscv64: 'linux-riscv64',
  s390x: 'linux-s390x',
  ppc64el: 'linux-ppc64',
};
