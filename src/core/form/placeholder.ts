import type { FormInput } from './layout.ts';

/** Fills `{version} {platform} {commit} {package}` and, for Debian paths, `{multiarch}`. `{out}` is left to its reader. */
export function fillPlaceholders(
  text: string,
  { version, platform, commit, packageName }: Pick<FormInput, 'version' | 'platform' | 'commit' | 'packageName'>,
): string {
  const values: Readonly<Record<string, string>> = {
    package: fileNameOf(packageName),
    version,
    platform: platform ?? '',
    commit,
    multiarch: multiarchOf(platform),
  };
  return text.replace(/\{(\w+)\}/g, (whole, name: string) => values[name] ?? whole);
}

/** A package's name as part of a file name: a scope's `@` and `/` do not belong there. */
export function fileNameOf(name: string): string {
  return name.replace(/^@/, '').replaceAll('/', '-');
}

const triplets: Readonly<Record<string, string>> = {
  'linux-x64': 'x86_64-linux-gnu',
  'linux-arm64': 'aarch64-linux-gnu',
  'linux-arm': 'arm-linux-gnueabihf',
  'linux-ia32': 'i386-linux-gnu',
  'linux-ppc64': 'powerpc64le-linux-gnu',
  'linux-riscv64': 'riscv64-linux-gnu',
  'linux-s390x': 's390x-linux-gnu',
};

/** Debian's folder for libraries of a platform (Debian Policy §9.1.1); '' for others. */
function multiarchOf(platform: string | null): string {
  return platform === null ? '' : (triplets[platform] ?? '');
}
