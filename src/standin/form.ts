import Busboy from '@fastify/busboy';
import type { FastifyRequest } from 'fastify';
import { Refusal } from './refusal.ts';
import { bodyOf } from './service.ts';
import type { Received, Receiving, Store } from './store.ts';

/** A form that came in: its texts, and the files under temporary names. */
export type ReceivedForm = {
  readonly fields: ReadonlyMap<string, readonly string[]>;
  readonly files: ReadonlyMap<string, Received & { readonly fileName: string }>;
};

/** Takes a form in as a stream (RFC 7578); the caller commits or discards its files. */
export async function receiveForm(request: FastifyRequest, store: Store, receiving: Receiving): Promise<ReceivedForm> {
  const type = request.headers['content-type'] ?? '';
  if (!/^multipart\/form-data\b/.test(type)) throw new Refusal(400, 'a form with a file is needed');
  const parser = new Busboy.Busboy({
    headers: { 'content-type': type },
    limits: { fields: 2000, fieldSize: 8 << 20, files: 4, parts: 2004 },
  });
  const fields = new Map<string, string[]>();
  const files = new Map<string, Received & { fileName: string }>();
  const waiting: Promise<void>[] = [];
  let fail: (reason: unknown) => void = () => {};
  const failed = new Promise<never>((_resolve, reject) => {
    fail = reject;
  });
  parser.on('field', (name, value) => fields.set(name, [...(fields.get(name) ?? []), String(value)]));
  parser.on('file', (name, stream, fileName) => {
    const sizeBytes = Number(request.headers['content-length'] ?? 0);
    const taking = store.receive(stream, { ...receiving, sizeBytes }).then((received) => {
      files.set(name, { ...received, fileName: fileName ?? '' });
    });
    // After a refused file, the rest of the body does not need to be read.
    taking.catch(fail);
    waiting.push(taking);
  });
  const read = new Promise<void>((resolve, reject) => {
    parser.on('finish', resolve);
    parser.on('error', () => reject(new Refusal(400, 'the form is not well-formed')));
  });
  const feed = (async () => {
    for await (const chunk of bodyOf(request))
      if (!parser.write(chunk)) await new Promise((resolve) => parser.once('drain', resolve));
    parser.end();
  })();
  try {
    await Promise.race([Promise.all([read.then(() => Promise.all(waiting)), feed]), failed]);
    return { fields, files };
  } catch (error) {
    feed.catch(() => {});
    for (const file of files.values()) await store.discard(file);
    throw error;
  }
}
