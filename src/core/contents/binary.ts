/** What the first bytes of a file say it is: machine code for a platform, or classes for a Java version. */
export type BinaryKind =
  | { readonly type: 'native'; readonly platform: string }
  | { readonly type: 'classes'; readonly major: number };

/** How many bytes from the beginning are enough to tell. */
export const binaryHeadBytes = 1024;

/** @returns null for anything that is neither machine code nor a class file. */
export function readBinaryKind(head: Uint8Array): BinaryKind | null {
  const bytes = Buffer.from(head.buffer, head.byteOffset, head.byteLength);
  if (bytes.length < 20) return null;
  const platform = elf(bytes) ?? portableExecutable(bytes) ?? mach(bytes);
  if (platform !== null) return { type: 'native', platform };
  // JVMS §4.1; a universal Mach-O file begins alike, and its second number is a small count of parts.
  if (bytes.readUInt32BE(0) === 0xcafebabe && bytes.readUInt16BE(6) >= 45)
    return { type: 'classes', major: bytes.readUInt16BE(6) };
  return null;
}

// System V ABI, "ELF Header", e_machine.
const elfMachines: Readonly<Record<number, string>> = {
  3: 'ia32',
  8: 'mips',
  21: 'ppc64',
  22: 's390x',
  40: 'arm',
  62: 'x64',
  183: 'arm64',
  243: 'riscv64',
  258: 'loong64',
};

function elf(bytes: Buffer): string | null {
  if (bytes.readUInt32BE(0) !== 0x7f454c46) return null;
  const machine = bytes[5] === 2 ? bytes.readUInt16BE(18) : bytes.readUInt16LE(18);
  const system = bytes[7] === 9 ? 'freebsd' : 'linux';
  return `${system}-${elfMachines[machine] ?? `machine${machine}`}`;
}

// Microsoft's PE Format, "Machine Types".
const peMachines: Readonly<Record<number, string>> = { 332: 'ia32', 34404: 'x64', 43620: 'arm64', 452: 'arm' };

function portableExecutable(bytes: Buffer): string | null {
  if (bytes.toString('latin1', 0, 2) !== 'MZ' || bytes.length < 64) return null;
  const at = bytes.readUInt32LE(60);
  if (at + 6 > bytes.length || bytes.toString('latin1', at, at + 4) !== 'PE\0\0') return null;
  const machine = bytes.readUInt16LE(at + 4);
  return `windows-${peMachines[machine] ?? `machine${machine}`}`;
}

// Apple's mach/machine.h, cputype.
const machTypes: Readonly<Record<number, string>> = { 7: 'ia32', 16777223: 'x64', 12: 'arm', 16777228: 'arm64' };

function mach(bytes: Buffer): string | null {
  const magic = bytes.readUInt32LE(0);
  if (magic === 0xfeedfacf || magic === 0xfeedface) return `macos-${machTypes[bytes.readUInt32LE(4)] ?? 'other'}`;
  if (bytes.readUInt32BE(0) !== 0xcafebabe || bytes.readUInt32BE(4) >= 45) return null;
  const parts = Math.min(bytes.readUInt32BE(4), 8);
  const types = Array.from({ length: parts }, (_, index) => 8 + 20 * index)
    .filter((at) => at + 4 <= bytes.length)
    .map((at) => machTypes[bytes.readUInt32BE(at)] ?? 'other');
  return `macos-${types.join('+')}`;
}
