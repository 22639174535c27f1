/** Never runs twice at once: a call while it runs is passed over. */
export function oneAtATime(work: () => Promise<void>): () => Promise<void> {
  let running = false;
  return async () => {
    if (running) return;
    running = true;
    try {
      await work();
    } finally {
      running = false;
    }
  };
}
