import { chmodSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { SessionEnded, SftpSession } from '../../../src/world/target/sftp-session.ts';
import { temporaryFolder } from '../../builders/repository.ts';

/** A program that answers like a server: with these bytes, once it was greeted. */
function serverThat(script: string): string {
  const file = path.join(temporaryFolder(), 'server.mjs');
  writeFileSync(file, `#!${process.execPath}\n${script}\n`);
  chmodSync(file, 0o755);
  return file;
}

const hello = "process.stdout.write(Buffer.from('0000000502' + '00000003', 'hex'));";
const open = (script: string) =>
  SftpSession.open(serverThat(script), {
    args: [],
    env: { PATH: process.env['PATH'] ?? '' },
    signal: new AbortController().signal,
  });

describe('a session with a server that', () => {
  it.each([
    [
      'prints a greeting of the shell first',
      "process.stdout.write('Welcome to the harbour!\\n'); setTimeout(() => {}, 60000);",
      /login script/,
    ],
    [
      'ends at once',
      "process.stderr.write('Permission denied (publickey).\\n'); process.exit(255);",
      /Permission denied/,
    ],
    [
      'speaks another version',
      "process.stdout.write(Buffer.from('0000000502' + '00000006', 'hex')); setTimeout(() => {}, 60000);",
      /version 6/,
    ],
    [
      'begins with another packet',
      "process.stdout.write(Buffer.from('0000000565' + '00000003', 'hex')); setTimeout(() => {}, 60000);",
      /first packet/,
    ],
  ])('%s is left with a reason', async (_, script, why) => {
    const failed = open(script);

    await expect(failed).rejects.toThrow(SessionEnded);
    await expect(failed).rejects.toThrow(why);
  });

  it.each([
    ['ends in the middle', 'process.exit(1);', /exit code 1/],
    [
      'answers another question',
      "process.stdout.write(Buffer.from('0000000965' + '000000ff' + '00000000', 'hex'));",
      /not sent/,
    ],
    [
      'sends a packet of 2 GB',
      "process.stdout.write(Buffer.from('7fffffff65', 'hex'));",
      /not the file transfer protocol/,
    ],
    [
      'sends an empty packet',
      "process.stdout.write(Buffer.from('0000000000', 'hex'));",
      /not the file transfer protocol/,
    ],
  ])('%s ends every request that is open', async (_, script, why) => {
    const session = await open(
      `${hello} let seen = 0; process.stdin.on('data', (chunk) => { seen += chunk.length; if (seen > 9) { ${script} } });`,
    );

    const requests = [session.request(7, ['/a']), session.request(7, ['/b'])];

    for (const request of requests) await expect(request).rejects.toThrow(why);
    await expect(session.request(7, ['/c'])).rejects.toThrow(SessionEnded);
  });
});
