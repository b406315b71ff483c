/** In the environment of a process that is started before there is something for it to do. */
export const AHEAD = "EMBERSET_STARTED_AHEAD";

/**
 * Where this is such a process: gets ready, and waits until it is called. @returns whether it was; who would have called it may be gone
 */
export async function isCalled(getReady: () => Promise<void>): Promise<boolean> {
  const isAhead = process.env[AHEAD] !== undefined && process.connected;
  Reflect.deleteProperty(process.env, AHEAD);
  if (!isAhead) return true;
  // What cannot be loaded ahead is told when it is loaded.
  getReady().catch(() => undefined);
  return new Promise(resolve => {
    process.once("disconnect", () => resolve(false));
    process.once("message", () => {
      resolve(true);
      process.disconnect();
    });
  });
}
