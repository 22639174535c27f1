import { z } from 'zod';

export const healthSchema = z.object({
  live: z.boolean(),
  ready: z.boolean(),
  /** Parts that are not as they should be, with the reason. */
  notReady: z.array(z.object({ part: z.string(), detail: z.string() })),
  version: z.string(),
});
