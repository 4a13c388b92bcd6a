import path from 'node:path/posix';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { runStep } from '../step.ts';
import { type Field, openFlags, packetTypes, permissionFields, statusCodes } from './sftp-packet.ts';
import { type Reply, SessionEnded, SftpSession } from './sftp-session.ts';
import { commandLine, quoted, type SshConnection, sshArguments } from './ssh-command.ts';
import type { Target, TargetCommand, TargetEntry } from './target.ts';
import { targetRefused } from './target-errors.ts';

/** Bytes of one READ or WRITE (§6.4: a server takes at least 32,768), and how many of them are under way. */
const pieceBytes = 32_768;
const maxUnderWay = 32;

/** Kinds of files by the upper bits of their permissions (POSIX, sys/stat.h, as the draft takes them in §5). */
const fileTypes: ReadonlyMap<number, TargetEntry['type']> = new Map([
  [0o100000, 'file'],
  [0o040000, 'folder'],
  [0o120000, 'symlink'],
]);

/**
 * A folder on another machine, reached by the system's own ssh client.
 * @throws TARGET_UNREACHABLE with what ssh says; TARGET_REFUSED when its server cannot replace a name in one step.
 */
export async function openSftpTarget(connection: SshConnection): Promise<Target> {
  const target = await SftpTarget.open(connection);
  return {
    where: target.where,
    folder: target.folder,
    find: (path) => target.find(path),
    names: (path) => target.names(path),
    read: (path) => target.read(path),
    write: (path, content, mode) => target.write(path, content, mode),
    makeFolder: (path) => target.makeFolder(path),
    makeLink: (path, linkname) => target.makeLink(path, linkname),
    linkname: (path) => target.linkname(path),
    replace: (from, to) => target.extended('posix-rename@openssh.com', [from, to]),
    claim: (from, to) => target.claim(from, to),
    setMode: (path, mode) => target.done(packetTypes.SETSTAT, [path, ...permissionFields(mode)], path),
    remove: (path) => target.removeIfThere(path),
    removeFolder: (path) => target.removeFolder(path),
    run: (command) => target.run(command),
    close: () => target.close(),
  };
}

class SftpTarget {
  readonly where: string;
  folder = '';
  readonly #session: SftpSession;
  readonly #connection: SshConnection;

  private constructor(session: SftpSession, connection: SshConnection) {
    [this.#session, this.#connection, this.where] = [session, connection, connection.where];
  }

  static async open(connection: SshConnection): Promise<SftpTarget> {
    connection.signal.throwIfAborted();
    try {
      const args = sshArguments(connection, ['-s'], 'sftp');
      const session = await SftpSession.open('ssh', { args, env: connection.env, signal: connection.signal });
      const target = new SftpTarget(session, connection);
      for (const needed of ['posix-rename@openssh.com', 'fsync@openssh.com'])
        if (!session.has(needed)) throw target.#unable(needed);
      const { fields } = await target.ask(packetTypes.REALPATH, ['.'], '.');
      fields.u32();
      const home = fields.text();
      const { folder } = connection;
      target.folder = path.normalize(folder.startsWith('/') ? folder : `${home}/${folder}`);
      return target;
    } catch (error) {
      throw unreachable(connection, error);
    }
  }

  async find(path: string): Promise<TargetEntry | null> {
    const reply = await this.#send(packetTypes.LSTAT, [path]);
    if (reply.type === packetTypes.STATUS) {
      const { code, text } = statusOf(reply);
      if (code === statusCodes.NO_SUCH_FILE) return null;
      throw this.#refused(path, text);
    }
    const { size, permissions } = reply.fields.attributes();
    const bits = permissions ?? 0;
    return { type: fileTypes.get(bits & 0o170000) ?? 'special', mode: bits & 0o7777, sizeBytes: size ?? 0 };
  }

  async names(path: string): Promise<string[]> {
    const opened = await this.#send(packetTypes.OPENDIR, [path]);
    if (opened.type !== packetTypes.HANDLE) {
      const { code, text } = statusOf(opened);
      if (code === statusCodes.NO_SUCH_FILE) return [];
      throw this.#refused(path, text);
    }
    const handle = opened.fields.bytes();
    const names: string[] = [];
    try {
      for (;;) {
        const reply = await this.#send(packetTypes.READDIR, [handle]);
        if (reply.type !== packetTypes.NAME) {
          const { code, text } = statusOf(reply);
          if (code === statusCodes.EOF) break;
          throw this.#refused(path, text);
        }
        for (let count = reply.fields.u32(); count > 0; count--) {
          const name = reply.fields.text();
          reply.fields.bytes();
          reply.fields.attributes();
          // A server could name places elsewhere.
          if (name.includes('/') || name.includes('\0')) throw this.#refused(path, 'it lists a name with a slash');
          if (name !== '.' && name !== '..') names.push(name);
        }
      }
    } finally {
      await this.#send(packetTypes.CLOSE, [handle]);
    }
    return names.sort();
  }

  async *read(path: string): AsyncGenerator<Uint8Array> {
    const handle = await this.#open(path, openFlags.READ, []);
    const waiting: Promise<Reply>[] = [];
    const ask = (at: number) => this.#send(packetTypes.READ, [handle, { u64: at }, { u32: pieceBytes }]);
    let [asked, at, window] = [0, 0, 2];
    try {
      for (;;) {
        while (waiting.length < window) {
          const reply = ask(asked);
          // It is looked at in its turn.
          reply.catch(() => {});
          waiting.push(reply);
          asked += pieceBytes;
        }
        const reply = await (waiting.shift() as Promise<Reply>);
        if (reply.type !== packetTypes.DATA) {
          const { code, text } = statusOf(reply);
          if (code === statusCodes.EOF) break;
          throw this.#refused(path, text);
        }
        const data = reply.fields.bytes();
        // Small files end before many requests are under way.
        window = Math.min(window * 2, maxUnderWay);
        yield data;
        at += data.byteLength;
        if (data.byteLength === pieceBytes) continue;
        // A short answer is not the end (§6.4): what follows is asked for anew.
        await Promise.all(waiting.splice(0));
        asked = at;
      }
      await Promise.all(waiting);
    } finally {
      await this.#send(packetTypes.CLOSE, [handle]);
    }
  }

  async write(path: string, content: AsyncIterable<Uint8Array>, mode: number): Promise<void> {
    const flags = openFlags.WRITE | openFlags.CREAT | openFlags.EXCL;
    const handle = await this.#open(path, flags, permissionFields(mode));
    const waiting = new Set<Promise<void>>();
    let failure: unknown = null;
    let at = 0;
    try {
      for await (const chunk of content) {
        for (let from = 0; from < chunk.byteLength; from += pieceBytes) {
          const piece = chunk.subarray(from, from + pieceBytes);
          const written = this.done(packetTypes.WRITE, [handle, { u64: at }, piece], path)
            .catch((error: unknown) => {
              failure ??= error;
            })
            .finally(() => waiting.delete(written));
          waiting.add(written);
          at += piece.byteLength;
          while (waiting.size >= maxUnderWay) await Promise.race(waiting);
          if (failure !== null) throw failure;
        }
      }
      await Promise.all(waiting);
      if (failure !== null) throw failure;
      // The server applies its umask to what a file is opened with.
      await this.done(packetTypes.SETSTAT, [path, ...permissionFields(mode)], path);
      await this.done(packetTypes.EXTENDED, ['fsync@openssh.com', handle], path);
    } finally {
      await this.#send(packetTypes.CLOSE, [handle]);
    }
  }

  async makeFolder(path: string): Promise<void> {
    const found = await this.find(path);
    if (found !== null) {
      if (found.type === 'folder' || (found.type === 'symlink' && (await this.#leadsToFolder(path)))) return;
      throw this.#refused(path, 'it is not a folder');
    }
    const above = path.slice(0, path.lastIndexOf('/'));
    if (above !== '') await this.makeFolder(above);
    const { code, text } = statusOf(await this.#send(packetTypes.MKDIR, [path, ...permissionFields(0o755)]));
    // Another deployment may have made it in this moment; version 3 has no status of its own for that.
    if (code !== statusCodes.OK && (await this.find(path))?.type !== 'folder') throw this.#refused(path, text);
    await this.done(packetTypes.SETSTAT, [path, ...permissionFields(0o755)], path);
  }

  /** OpenSSH takes the two paths in the other order than the draft (its PROTOCOL, section 4.1), so the link is looked at afterwards. */
  async makeLink(path: string, linkname: string): Promise<void> {
    await this.done(packetTypes.SYMLINK, [linkname, path], path);
    if ((await this.linkname(path)) !== linkname) throw this.#refused(path, 'the link leads elsewhere');
  }

  async linkname(path: string): Promise<string> {
    const { fields } = await this.ask(packetTypes.READLINK, [path], path);
    fields.u32();
    return fields.text();
  }

  async claim(from: string, to: string): Promise<boolean> {
    const { code, text } = statusOf(await this.#send(packetTypes.RENAME, [from, to]));
    if (code === statusCodes.OK) return true;
    // Version 3 has no status of its own for a name that is taken.
    if ((await this.find(to)) !== null) return false;
    throw this.#refused(to, text);
  }

  async removeIfThere(path: string): Promise<void> {
    const { code, text } = statusOf(await this.#send(packetTypes.REMOVE, [path]));
    if (code !== statusCodes.OK && code !== statusCodes.NO_SUCH_FILE) throw this.#refused(path, text);
  }

  async removeFolder(path: string): Promise<boolean> {
    return statusOf(await this.#send(packetTypes.RMDIR, [path])).code === statusCodes.OK;
  }

  extended(name: string, fields: readonly string[]): Promise<void> {
    return this.done(packetTypes.EXTENDED, [name, ...fields], fields.at(-1) ?? '');
  }

  async run({ run, folder, env, timeoutMs, log }: TargetCommand) {
    const { signal } = this.#connection;
    const args = sshArguments(this.#connection, ['-T'], commandLine({ run, folder, env }));
    const line = ['ssh', ...args].map(quoted).join(' ');
    return runStep({ run: line, folder: '/', env: this.#connection.env, log, signal, timeoutMs });
  }

  async close(): Promise<void> {
    await this.#session.close();
  }

  /** A request that is answered with a status alone. @throws TARGET_REFUSED */
  async done(type: number, fields: readonly Field[], path: string): Promise<void> {
    const { code, text } = statusOf(await this.#send(type, fields));
    if (code !== statusCodes.OK) throw this.#refused(path, text);
  }

  /** A request that is answered with something. @throws TARGET_REFUSED */
  async ask(type: number, fields: readonly Field[], path: string): Promise<Reply> {
    const reply = await this.#send(type, fields);
    if (reply.type === packetTypes.STATUS) throw this.#refused(path, statusOf(reply).text);
    return reply;
  }

  async #open(path: string, flags: number, attributes: readonly Field[]): Promise<Buffer> {
    const fields = [path, { u32: flags }, ...(attributes.length === 0 ? [{ u32: 0 }] : attributes)];
    return (await this.ask(packetTypes.OPEN, fields, path)).fields.bytes();
  }

  async #send(type: number, fields: readonly Field[]): Promise<Reply> {
    try {
      return await this.#session.request(type, fields);
    } catch (error) {
      throw unreachable(this.#connection, error);
    }
  }

  /** Whether a link that was there before leads to a folder: it can be listed. */
  async #leadsToFolder(path: string): Promise<boolean> {
    const opened = await this.#send(packetTypes.OPENDIR, [path]);
    if (opened.type !== packetTypes.HANDLE) return false;
    await this.#send(packetTypes.CLOSE, [opened.fields.bytes()]);
    return true;
  }

  #refused(path: string, why: string): BevelstoneError {
    return targetRefused({ where: this.where, path, why });
  }

  #unable(extension: string): BevelstoneError {
    return new BevelstoneError('TARGET_REFUSED', {
      message: `${this.where} cannot take deployments`,
      why: `its server does not have the extension ${extension}, and without it a switch is not one step`,
      fix: 'Use the sftp server of OpenSSH there',
    });
  }
}

function statusOf({ type, fields }: Reply): { readonly code: number; readonly text: string } {
  if (type !== packetTypes.STATUS) return { code: statusCodes.OK, text: '' };
  const code = fields.u32();
  const text = fields.isAtEnd ? '' : fields.text();
  return { code, text: text === '' ? `status ${code}` : text };
}

function unreachable({ where, signal }: SshConnection, error: unknown): unknown {
  signal.throwIfAborted();
  if (isBevelstoneError(error)) return error;
  if (!(error instanceof SessionEnded) && !(error instanceof RangeError)) return error;
  return new BevelstoneError('TARGET_UNREACHABLE', {
    message: `no connection to ${where}`,
    why: error.message,
    fix: 'Check host, user, key and known hosts; the same must work by hand: ssh -o BatchMode=yes HOST true',
    cause: error,
  });
}
