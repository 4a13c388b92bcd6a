import { randomBytes } from 'node:crypto';
import { lockNumber, takeNumberedLock } from '../numbered-lock.ts';
import { type ProcessIdentity, thisProcess } from '../process-identity.ts';
import { oneChunk, readTargetText, type Target } from './target.ts';

/** The lock of a target, or the process that has it and the file that says so. */
export type TargetLock =
  | { readonly type: 'taken'; readonly release: () => Promise<void> }
  | { readonly type: 'busy'; readonly file: string; readonly holder: ProcessIdentity };

/** Takes the lock of a target (`takeNumberedLock`), in its folder for what Bevelstone keeps there. */
export async function takeTargetLock(target: Target, folder: string): Promise<TargetLock> {
  const fileOf = (number: number) => `${folder}/lock.${number}`;
  const fresh = `${folder}/lock-${randomBytes(6).toString('hex')}.tmp`;
  const write = async (text: string) => {
    await target.remove(fresh);
    await target.write(fresh, oneChunk(text), 0o644);
  };
  await target.makeFolder(folder);
  try {
    const answer = await takeNumberedLock({
      numbers: async () => (await target.names(folder)).flatMap((name) => lockNumber(name) ?? []),
      create: async (number) => {
        await write(JSON.stringify(thisProcess()));
        return target.claim(fresh, fileOf(number));
      },
      read: (number) => readTargetText(target, fileOf(number)),
      write: async (number, text) => {
        await write(text);
        await target.replace(fresh, fileOf(number));
      },
      remove: (number) => target.remove(fileOf(number)),
    });
    return answer.type === 'busy'
      ? { type: 'busy', file: fileOf(answer.number), holder: answer.holder }
      : { type: 'taken', release: answer.release };
  } finally {
    await target.remove(fresh);
  }
}
