import type { Writable } from 'node:stream';
import { execa } from 'execa';
import { encodePacket, type Field, PacketReader, packetTypes } from './sftp-packet.ts';

/** A reply: its type and its fields behind the id. */
export type Reply = { readonly type: number; readonly fields: PacketReader };

/** Why a session ended: what the ssh client said, or what was wrong with the answers. */
export class SessionEnded extends Error {}

/** Replies carry at most the data that was asked for; nothing that a server sends may be much larger. */
const maxPacketBytes = 1 << 20;
const maxErrorText = 2000;

type Waiting = { readonly resolve: (reply: Reply) => void; readonly reject: (error: Error) => void };

/** One session of the SSH file transfer protocol, version 3 (draft-ietf-secsh-filexfer-02), over the system's ssh client. */
export class SftpSession {
  readonly #input: Writable;
  readonly #over: Promise<unknown>;
  readonly #kill: () => void;
  readonly #waiting = new Map<number, Waiting>();
  #extensions: ReadonlySet<string> = new Set();
  #next = 1;
  #unread: Buffer = Buffer.alloc(0);
  #ended: Error | null = null;
  #errorText = '';
  #hello: Waiting | null = null;

  private constructor(program: string, args: readonly string[], env: Readonly<Record<string, string>>) {
    const child = execa(program, args, {
      env,
      extendEnv: false,
      buffer: false,
      reject: false,
      // A group of its own: Ctrl-C asks us to stop in order, and that needs the connection.
      detached: true,
      cleanup: true,
      stdin: 'pipe',
      stdout: 'pipe',
      stderr: 'pipe',
    });
    const { stdin, stdout, stderr } = child;
    this.#input = stdin;
    this.#kill = () => child.kill('SIGTERM');
    // What is wrong shows when the client ends.
    stdin.on('error', () => {});
    stdout.on('data', (chunk: Buffer) => this.#take(chunk));
    stderr.on('data', (chunk: Buffer) => {
      this.#errorText = (this.#errorText + chunk.toString('utf8')).slice(-maxErrorText);
    });
    this.#over = child.then(
      ({ exitCode, cause }) =>
        this.#end(
          this.#errorText.trim() || (cause as Error | undefined)?.message || `ssh ended with exit code ${exitCode}`,
        ),
      (error: Error) => this.#end(error.message),
    );
  }

  /** Starts the client and greets the server (§4). @param signal ends the attempt, not the session. @throws SessionEnded */
  static async open(
    program: string,
    {
      args,
      env,
      signal,
    }: {
      readonly args: readonly string[];
      readonly env: Readonly<Record<string, string>>;
      readonly signal: AbortSignal;
    },
  ): Promise<SftpSession> {
    const session = new SftpSession(program, args, env);
    const stop = () => session.stop();
    signal.addEventListener('abort', stop, { once: true });
    const hello = new Promise<Reply>((resolve, reject) => {
      session.#hello = { resolve, reject };
    });
    session.#input.write(encodePacket(packetTypes.INIT, [{ u32: 3 }]));
    const { fields } = await hello.finally(() => signal.removeEventListener('abort', stop));
    const version = fields.u32();
    if (version !== 3) {
      session.stop();
      throw session.#end(`the server speaks version ${version} of the protocol, not 3`);
    }
    const extensions = new Set<string>();
    while (!fields.isAtEnd) {
      extensions.add(fields.text());
      fields.bytes();
    }
    session.#extensions = extensions;
    return session;
  }

  /** Whether the server names an extension of the protocol in its greeting. */
  has(extension: string): boolean {
    return this.#extensions.has(extension);
  }

  /** Sends a request and waits for its reply; several may be under way. @throws SessionEnded */
  request(type: number, fields: readonly Field[]): Promise<Reply> {
    if (this.#ended !== null) return Promise.reject(this.#ended);
    const id = this.#next++;
    return new Promise((resolve, reject) => {
      this.#waiting.set(id, { resolve, reject });
      this.#input.write(encodePacket(type, [{ u32: id }, ...fields]));
    });
  }

  async close(): Promise<void> {
    this.#input.end();
    await this.#over;
  }

  /** Ends the client at once. */
  stop(): void {
    this.#kill();
  }

  #take(chunk: Buffer): void {
    this.#unread = this.#unread.byteLength === 0 ? chunk : Buffer.concat([this.#unread, chunk]);
    while (this.#ended === null && this.#unread.byteLength >= 5) {
      const length = this.#unread.readUInt32BE();
      if (length < 1 || length > maxPacketBytes) {
        // A login script that prints something comes before the first packet.
        this.#end('the answer is not the file transfer protocol: does a login script print something there?');
        this.stop();
        return;
      }
      if (this.#unread.byteLength < 4 + length) return;
      const packet = this.#unread.subarray(4, 4 + length);
      this.#unread = this.#unread.subarray(4 + length);
      this.#deliver(packet);
    }
  }

  #deliver(packet: Buffer): void {
    const type = packet.readUInt8();
    const fields = new PacketReader(packet.subarray(1));
    if (this.#hello !== null) {
      if (type !== packetTypes.VERSION) {
        this.#end('the first packet of the server is not its version');
        this.stop();
        return;
      }
      const { resolve } = this.#hello;
      this.#hello = null;
      resolve({ type, fields });
      return;
    }
    const id = packet.byteLength < 5 ? 0 : fields.u32();
    const waiting = this.#waiting.get(id);
    if (waiting === undefined) {
      this.#end('the server answered a request that was not sent');
      this.stop();
      return;
    }
    this.#waiting.delete(id);
    waiting.resolve({ type, fields });
  }

  #end(why: string): Error {
    this.#ended ??= new SessionEnded(why);
    const ended = this.#ended;
    this.#hello?.reject(ended);
    this.#hello = null;
    for (const { reject } of this.#waiting.values()) reject(ended);
    this.#waiting.clear();
    return ended;
  }
}
