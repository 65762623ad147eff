/** Waits for a promise, but at most this number of milliseconds. Returns false if the time is over first. Ignores a rejection. */
export async function settlesWithin(promise: Promise<unknown>, milliseconds: number): Promise<boolean> {
  let timer: NodeJS.Timeout | undefined;
  const timeout = new Promise<boolean>((resolve) => {
    timer = setTimeout(() => resolve(false), milliseconds);
  });
  const settled = promise.then(
    () => true,
    () => true,
  );
  const isInTime = await Promise.race([settled, timeout]);
  clearTimeout(timer);
  return isInTime;
}
