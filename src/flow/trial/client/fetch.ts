import path from 'node:path';
import { isBevelstoneError } from '../../../core/error/bevelstone-error.ts';
import { formDefinitions, isSbom } from '../../../core/form/definitions.ts';
import { isRemote } from '../../../core/name/protocol.ts';
import { consumerLines } from '../../../core/protocol/consumer-line.ts';
import { belowFolder } from '../../../core/protocol/folder/definition.ts';
import { type Offer, readerVariable } from '../../../core/protocol/offer.ts';
import { extractArchive } from '../../../world/archive/extract.ts';
import { runCommand } from '../../../world/command.ts';
import type { Credential } from '../../../world/credential.ts';
import { makeFolder, removeFile, writeWhole } from '../../../world/files.ts';
import type { Client, InstalledTree } from './client.ts';
import { installDeb } from './dpkg.ts';
import { findVersion, lastLines } from './find-version.ts';

/** Runs the very consumer lines, which fetch each file and check its digest; then installs or unpacks the files. */
export const fetchClient: Client = {
  name: 'fetch',
  installsByName: false,
  usualSeconds: 0,
  takesSecondPlace: false,
  find: async (version, env, signal) => {
    const curl = await findVersion({ names: ['curl'], version, env, signal });
    const sums = curl === null ? null : await findVersion({ names: ['sha256sum'], version: null, env, signal });
    return curl === null || sums === null ? null : { version: `curl ${curl.version}`, program: curl };
  },
  install: async (_tool, { folder, home, env, signal }, wanted) => {
    const settings = path.join(home, '.curlrc');
    // What reading needs, in a file of the visitor's own that goes with the folder.
    await writeWhole(settings, curlSettings(wanted[0]?.credential ?? { type: 'none' }), 0o600);
    const trees: InstalledTree[] = [];
    let isInstalled = true;
    for (const { offer, credential } of wanted) {
      const wantedClients = credential.type === 'keys' ? ['curl, with keys'] : ['curl', 'cp'];
      const lines = consumerLines(offer).filter(({ client }) => wantedClients.includes(client));
      const whole = { ...env, ...readerVariables(offer, credential) };
      for (const { text } of lines) {
        const end = await runCommand({ program: 'sh', args: ['-e', '-c', text], folder, env: whole, signal });
        if (end.type === 'missing' || end.exitCode !== 0)
          return { type: 'failed', why: end.type === 'missing' ? 'there is no shell' : lastLines(end.all) };
      }
      for (const { record } of offer.delivered) {
        const file = path.join(folder, record.file);
        if (isSbom(record)) continue;
        trees.push({ type: 'file', artifact: record.file, file });
        const why =
          formDefinitions[record.form].installer === null
            ? 'not-tried'
            : await installDeb({ folder, env, signal }, record.file);
        if (why === 'not-tried') isInstalled = false;
        else if (why !== null) return { type: 'failed', why: `${record.file} cannot be installed: ${why}` };
        if (!formDefinitions[record.form].isUnpacked) continue;
        const to = path.join(folder, `${record.file}.unpacked`);
        try {
          await makeFolder(to);
          await extractArchive(file, to);
        } catch (error) {
          if (!isBevelstoneError(error)) throw error;
          return { type: 'failed', why: `${record.file} cannot be unpacked: ${error.why}` };
        }
      }
    }
    await removeFile(settings);
    return { type: 'installed', env: {}, trees, isInstalled };
  },
};

/** What the lines leave to their readers: where a folder is, and keys. */
function readerVariables(offer: Offer, credential: Credential): Record<string, string> {
  const { destination, config, delivered } = offer;
  const named = (what: string) => readerVariable(destination, what);
  if (credential.type === 'keys')
    return { [named('READ_KEY')]: credential.accessKey, [named('READ_SECRET')]: credential.secretKey };
  const [first] = delivered;
  if (isRemote(config) || first === undefined) return {};
  // Its address is that of the file, which the lines name below the folder.
  const below = belowFolder(offer, first.record.file).join('/');
  return { [named('FOLDER')]: first.address.slice(0, -below.length - 1) };
}

/** A credential as settings of curl; it sends them to the host that was asked for, not where that redirects to. */
function curlSettings(credential: Credential): string {
  const quoted = (text: string) => `"${text.replace(/[\\"]/g, '\\$&')}"\n`;
  if (credential.type === 'basic') return `user = ${quoted(`${credential.user}:${credential.password}`)}`;
  if (credential.type === 'token') return `oauth2-bearer = ${quoted(credential.secret)}`;
  return credential.type === 'header' ? `header = ${quoted(`${credential.name}: ${credential.value}`)}` : '';
}
