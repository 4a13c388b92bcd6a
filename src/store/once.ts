/** Work that is done at the first call; every later one gets the same result. */
export function once<Value>(work: () => Promise<Value>): () => Promise<Value> {
  let result: Promise<Value> | null = null;
  return () => {
    result ??= work();
    return result;
  };
}
