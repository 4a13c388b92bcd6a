const table = new Uint32Array(256).map((_, index) => {
  let value = index;
  for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
  return value;
});

/** CRC-32 of an ASCII text (ISO 3309, the one of gzip); `node:zlib` has it too, but core reads no machine. */
export function crc32(text: string): number {
  let value = 0xffffffff;
  for (let at = 0; at < text.length; at++) value = (value >>> 8) ^ (table[(value ^ text.charCodeAt(at)) & 0xff] ?? 0);
  return (value ^ 0xffffffff) >>> 0;
}
