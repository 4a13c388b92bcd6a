const systems: Readonly<Record<string, string>> = { darwin: 'macos', win32: 'windows' };

/** The platform of this machine, as the vocabulary writes it: `linux-x64`. */
export function hostPlatform(): string {
  return `${systems[process.platform] ?? process.platform}-${process.arch}`;
}
