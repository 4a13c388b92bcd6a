/** Bytes with something before and behind them. */
export async function* surrounded(
  before: Uint8Array,
  middle: AsyncIterable<Uint8Array>,
  behind: Uint8Array,
): AsyncGenerator<Uint8Array> {
  yield before;
  yield* middle;
  yield behind;
}
