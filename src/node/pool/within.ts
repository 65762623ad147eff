/** Resolves when a promise does, or after a time in milliseconds, whichever is first. */
export async function within(promise: Promise<unknown>, milliseconds: number): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise((resolve) => {
    timer = setTimeout(resolve, milliseconds);
  });
  await Promise.race([promise.catch(() => undefined), late]);
  clearTimeout(timer);
}
