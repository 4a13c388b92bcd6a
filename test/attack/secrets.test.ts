import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import { eventsIn } from '../builders/forged-ledger.ts';
import { listener } from '../builders/listener.ts';
import { testStandin } from '../builders/parcel.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { tokenFor } from '../builders/workspace.ts';

describe('a password', () => {
  it.each([
    ['with quotes and backslashes', 'tide"office\\token\\"9x'],
    ['with percent signs and blanks', 'tide %22office% 7Qx'],
    ['with characters of a pattern', 'a.b*c+(d)[e]$^9'],
  ])('%s is never printed, by --json or otherwise, even where the server repeats it', async (_, secret) => {
    const server = await listener((request, response) => {
      const basic = Buffer.from(String(request.headers.authorization).replace('Basic ', ''), 'base64').toString();
      const body = { error: `${basic} and ${JSON.stringify(basic)} and ${request.headers.authorization}` };
      response.writeHead(403, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    });
    const w = await releaseWorkspace();
    const text = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    const office = `  office: { speaks: http-put, url: "${server.url}", credential: { user: harbour, password: "env:SECRET" }, takes: [npm-tarball] }`;
    writeFileSync(path.join(w.folder, 'bevelstone.yaml'), text.replace(/^ {2}office: .*$/m, office));
    const env = { SECRET: secret, BEVELSTONE_TRUST: server.origin };

    const [json, plain] = [
      await bevelstoneJson(['probe', '-v'], { cwd: w.folder, env }),
      await bevelstone(['probe', '-v'], { cwd: w.folder, env }),
    ];
    const all = json.stdout + json.stderr + plain.stdout + plain.stderr;

    expect(json.error?.why).toContain('[redacted]');
    for (const form of [
      secret,
      JSON.stringify(secret).slice(1, -1),
      encodeURIComponent(secret),
      Buffer.from(`harbour:${secret}`).toString('base64'),
    ])
      expect(all).not.toContain(form);
  });

  it.each(['package', 'delivered', 'contents', 'office', '12345678'])(
    'that is the word %s damages neither the ledger nor any output, and is warned of',
    async (word) => {
      const w = await releaseWorkspace();
      const standin = await testStandin({ tokens: [tokenFor(word)], store: path.join(w.top, 'other') });
      const env = {
        OFFICE: standinAddress(standin, 'npm-registry'),
        OFFICE_TOKEN: word,
        BEVELSTONE_TRUST: standin.url,
      };

      const probe = await bevelstoneJson(['probe'], { cwd: w.folder, env: { ...w.env, ...env } });
      const run = await w.release([], env);
      const listed = await bevelstoneJson(['ledger', 'list'], { cwd: w.folder, env: { ...w.env, ...env } });
      w.commit('fix: the lock gate', { 'soundings/depth.js': 'export const depth = 4.3;\n' });
      const next = await w.release([], env);

      expect(probe.warnings.join('\n')).toContain('plain word or shorter than 8 characters');
      expect([run.error, next.error]).toEqual([null, null]);
      expect(listed.warnings).toEqual([]);
      expect(listed.result.releases).toHaveLength(1);
      expect(JSON.stringify(eventsIn(path.join(w.top, 'remote.git')))).not.toContain('[redacted]');
    },
  );
});
