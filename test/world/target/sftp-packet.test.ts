import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { encodePacket, PacketReader, packetTypes, permissionFields } from '../../../src/world/target/sftp-packet.ts';

describe('packets of the file transfer protocol', () => {
  it.each([
    ['the greeting', packetTypes.INIT, [{ u32: 3 }], '00000005' + '01' + '00000003'],
    // draft-ietf-secsh-filexfer-02 §6.3: id, filename, pflags, attrs.
    [
      'an open',
      packetTypes.OPEN,
      [{ u32: 7 }, '/a', { u32: 0x2a }, ...permissionFields(0o644)],
      '00000017' + '03' + '00000007' + '000000022f61' + '0000002a' + '00000004' + '000001a4',
    ],
    [
      'a read',
      packetTypes.READ,
      [{ u32: 8 }, 'h', { u64: 32768 }, { u32: 16 }],
      '00000016' + '05' + '00000008' + '0000000168' + '0000000000008000' + '00000010',
    ],
  ] as const)('has the bytes of the draft for %s', (_, type, fields, hex) => {
    expect(encodePacket(type, fields).toString('hex')).toBe(hex);
  });

  it('are read as they were written', () => {
    fc.assert(
      fc.property(fc.string(), fc.nat(), fc.uint8Array(), (text, number, bytes) => {
        const packet = encodePacket(packetTypes.WRITE, [text, { u32: number }, bytes, { u64: number * 1000 }]);
        const reader = new PacketReader(packet.subarray(5));
        expect(packet.readUInt32BE()).toBe(packet.byteLength - 4);
        expect(reader.text()).toBe(Buffer.from(text).toString('utf8'));
        expect(reader.u32()).toBe(number);
        expect(reader.bytes().equals(Buffer.from(bytes))).toBe(true);
        expect(reader.u64()).toBe(number * 1000);
        expect(reader.isAtEnd).toBe(true);
      }),
    );
  });

  it('end in a RangeError when they are cut anywhere', () => {
    const whole = encodePacket(packetTypes.ATTRS, [
      { u32: 0x0f },
      { u64: 5 },
      { u32: 1 },
      { u32: 2 },
      { u32: 0o100644 },
      { u32: 3 },
      { u32: 4 },
    ]).subarray(5);
    expect(new PacketReader(whole).attributes()).toEqual({ size: 5, permissions: 0o100644 });
    for (let length = 0; length < whole.byteLength; length++)
      expect(() => new PacketReader(whole.subarray(0, length)).attributes()).toThrow(RangeError);
  });
});
