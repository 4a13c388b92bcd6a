import { BevelstoneError } from '../core/error/bevelstone-error.ts';

/** What a promise gives, unless the time comes first. @param left how many milliseconds there are still. @throws DESTINATION_UNREACHABLE */
export async function beforeTime<Value>(work: Promise<Value>, left: () => number): Promise<Value> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(tooLate()), left());
  });
  // When the time came first, the result of the work is no longer used.
  work.catch(() => {});
  try {
    return await Promise.race([work, late]);
  } finally {
    clearTimeout(timer);
  }
}

/** Passes chunks on until the time comes. @throws DESTINATION_UNREACHABLE */
export async function* within(chunks: AsyncIterable<Uint8Array>, left: () => number): AsyncGenerator<Uint8Array> {
  const iterator = chunks[Symbol.asyncIterator]();
  let isOver = false;
  try {
    for (;;) {
      const { done, value } = await beforeTime(iterator.next(), left);
      isOver = done === true;
      if (isOver) return;
      yield value;
    }
  } finally {
    // A source that stands still would never answer.
    if (!isOver) void iterator.return?.()?.then(undefined, () => {});
  }
}

function tooLate(): BevelstoneError {
  return new BevelstoneError('DESTINATION_UNREACHABLE', {
    message: 'the download timed out',
    why: 'it did not finish within `confirm-for`',
    fix: 'Run the same command again, or set a longer `confirm-for`',
  });
}
