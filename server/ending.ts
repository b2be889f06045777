/**
 * Ending with whoever started this process. They share a channel; it closes when
 * they end, however they end, so that nothing outlives a start that was killed.
 */

/** Calls `end` once, when this process is asked to end or its starter is gone. */
export function onEnding(end: () => void): void {
  let ending = false;
  const once = (): void => {
    if (ending) return;
    ending = true;
    end();
  };
  process.on('SIGTERM', once);
  process.on('SIGINT', once);
  process.on('disconnect', once);
}
