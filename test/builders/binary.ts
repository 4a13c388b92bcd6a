/** What a made-up ELF file says. */
export type ElfOptions = {
  readonly soname?: string;
  readonly runPath?: string;
  readonly cLibrary?: string;
  readonly debug?: boolean;
  readonly isExecutableStack?: boolean;
  readonly machine?: number;
  readonly interpreter?: string;
};

/** A 64-bit little-endian ELF file with just the sections a reader asks for (System V ABI, "Object Files"). */
export function elfFile({
  soname,
  runPath,
  cLibrary,
  debug,
  isExecutableStack,
  machine = 62,
  interpreter,
}: ElfOptions): Buffer {
  let texts = Buffer.from([0]);
  const text = (value: string) => {
    const at = texts.length;
    texts = Buffer.concat([texts, Buffer.from(`${value}\0`)]);
    return at;
  };
  const tags: [number, number][] = [];
  if (soname !== undefined) tags.push([14, text(soname)]);
  if (runPath !== undefined) tags.push([29, text(runPath)]);
  const version = cLibrary === undefined ? 0 : text(`GLIBC_${cLibrary}`);
  const dynamic = Buffer.alloc(16 * (tags.length + 1));
  for (const [index, [tag, value]] of tags.entries()) {
    dynamic.writeBigUInt64LE(BigInt(tag), index * 16);
    dynamic.writeBigUInt64LE(BigInt(value), index * 16 + 8);
  }
  const needs = Buffer.alloc(32);
  needs.writeUInt16LE(1, 2);
  needs.writeUInt32LE(16, 8);
  needs.writeUInt32LE(version, 24);
  const parts: { name: string; type: number; bytes: Buffer; link?: number }[] = [
    { name: '', type: 0, bytes: Buffer.alloc(0) },
    { name: '.dynstr', type: 3, bytes: texts },
    { name: '.dynamic', type: 6, bytes: dynamic, link: 1 },
  ];
  if (cLibrary !== undefined) parts.push({ name: '.gnu.version_r', type: 0x6ffffffe, bytes: needs, link: 1 });
  if (debug === true) parts.push({ name: '.debug_info', type: 1, bytes: Buffer.from('debug') });
  if (interpreter !== undefined) parts.push({ name: '.interp', type: 1, bytes: Buffer.from(`${interpreter}\0`) });
  const names = Buffer.from(`${[...parts.map(({ name }) => name), '.shstrtab'].join('\0')}\0`);
  parts.push({ name: '.shstrtab', type: 3, bytes: names });
  return assemble(parts, names, machine, isExecutableStack === true);
}

function assemble(
  parts: readonly { name: string; type: number; bytes: Buffer; link?: number }[],
  names: Buffer,
  machine: number,
  isExecutableStack: boolean,
): Buffer {
  const header = Buffer.alloc(64);
  header.write('\x7fELF', 0, 'latin1');
  header.set([2, 1, 1], 4);
  header.writeUInt16LE(3, 16);
  header.writeUInt16LE(machine, 18);
  const program = Buffer.alloc(56);
  program.writeUInt32LE(0x6474e551, 0);
  program.writeUInt32LE(isExecutableStack ? 7 : 6, 4);
  let at = 64 + 56;
  const sections = parts.map(({ name, type, bytes, link = 0 }) => {
    const section = Buffer.alloc(64);
    section.writeUInt32LE(Math.max(0, names.indexOf(`${name}\0`)), 0);
    section.writeUInt32LE(type, 4);
    section.writeBigUInt64LE(BigInt(at), 24);
    section.writeBigUInt64LE(BigInt(bytes.length), 32);
    section.writeUInt32LE(link, 40);
    at += bytes.length;
    return section;
  });
  header.writeBigUInt64LE(64n, 32);
  header.writeBigUInt64LE(BigInt(at), 40);
  header.writeUInt16LE(56, 54);
  header.writeUInt16LE(1, 56);
  header.writeUInt16LE(64, 58);
  header.writeUInt16LE(parts.length, 60);
  header.writeUInt16LE(parts.length - 1, 62);
  return Buffer.concat([header, program, ...parts.map(({ bytes }) => bytes), ...sections]);
}

/** The beginning of a class file: its version, a pool with its name, and the place of the name (JVMS §4.1). */
export function classFile(name: string, java: number): Buffer {
  const head = Buffer.from([0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, java + 44, 0, 3]);
  const text = Buffer.concat([Buffer.from([1, 0, name.length]), Buffer.from(name)]);
  return Buffer.concat([head, text, Buffer.from([7, 0, 1]), Buffer.from([0, 0x21, 0, 2, 0, 0])]);
}
