import type { Watched } from "./engine.js";

/**
 * When a task is ended from outside, what the server is at just then is cancelled: it may be waiting for a lock.
 * @returns what ends that, once the connection is closed
 */
export function cancelling({ signal }: Watched, cancel: () => Promise<void>): () => void {
  // Where it cannot be cancelled, it comes to its end, and nothing is sent after it.
  const listener = () => void cancel().catch(() => undefined);
  signal?.addEventListener("abort", listener, { once: true });
  return () => signal?.removeEventListener("abort", listener);
}
