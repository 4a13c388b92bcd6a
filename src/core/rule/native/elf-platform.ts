import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const elfPlatform: Rule = {
  id: 'native/elf-platform',
  forms: allForms,
  severity: 'refuse',
  what: 'Machine code matches the platform of the artifact',
  why: 'It installs but fails with "wrong ELF class" or "cannot execute" on its own platform',
  fix: 'Build on, or for, the platform of the artifact',
  example: 'harmonics-0.9.5-linux-arm64.tar.gz with code for linux-x64',
  check: ({ binaries, fileName, form }, { release }) => {
    const wanted =
      release?.platform ?? (formDefinitions[form].platforms === 'one-each-if-named' ? platformIn(fileName) : null);
    if (wanted === null) return [];
    return [...binaries].flatMap(([path, kind]): RawFinding[] =>
      kind.type !== 'native' || kind.platform === wanted || kind.platform.split('+').includes(wanted)
        ? []
        : [{ path, message: `it is machine code for ${kind.platform}, but the artifact is for ${wanted}` }],
    );
  },
};

function platformIn(fileName: string): string | null {
  return /-((?:linux|macos|windows|freebsd)-(?:x64|arm64|ia32|arm|riscv64|s390x|ppc64))\b/.exec(fileName)?.[1] ?? null;
}
