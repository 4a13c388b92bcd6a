import type { Artifact } from '../../form/artifact.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const debControl: Rule = {
  id: 'native/deb-control',
  forms: ['deb'],
  severity: 'refuse',
  what: 'The control file of a Debian package has all required fields, each valid',
  why: 'Package managers reject it, or install it incorrectly',
  fix: 'Add missing fields under `control` of the artifact; Debian Policy §5 defines their syntax',
  example: 'no Maintainer, or Depends: libc6 >= 2.31 without brackets',
  check: ({ manifest, binaries }) => {
    if (manifest === null) return [];
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
        .map((name) => name.trim())
        .filter(Boolean))
        if (!relation.test(part)) add(`${name} has "${part}", which is not a valid relation to a package`);
    const description = field('Description') ?? '';
    const [synopsis = ''] = description.split('\n');
    if (synopsis.length > 80)
      add(`the first line of Description has ${synopsis.length} characters, and 80 are shown`, 'warn');
    if (description !== '' && !description.includes('\n')) add('Description has no text below its first line', 'note');
    const architecture = field('Architecture');
    const own = architectures[architecture ?? ''];
    for (const platform of new Set(mainCode(binaries))) {
      if (architecture === 'all') add(`Architecture is all, and machine code for ${platform} is inside`);
      else if (own !== undefined && platform !== own)
        add(`Architecture is ${architecture}, and machine code for ${platform} is inside`);
    }
    return found;
  },
};

/** Platforms of the code that the system runs; what lies in folders of other systems is for cross compilers and emulators. */
function mainCode(binaries: Artifact['binaries']): string[] {
  return [...binaries].flatMap(([path, kind]) =>
    kind.type === 'native' && kind.platform.startsWith('linux-') && runByTheSystem.test(path) ? [kind.platform] : [],
  );
}

const runByTheSystem = /^(?:usr\/)?(?:s?bin\/|lib\/(?:[^/]+\.so[\d.]*$|[a-z0-9_]+-linux-gnu\w*\/[^/]+\.so[\d.]*$))/;

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
