import { z } from 'zod';

/** Where one share goes so that its instance can be given back. */
const shareMoveSchema = z.object({
  /** Name of its volume. */
  volume: z.string().min(1).max(300),
  /** The claim that it holds, or held. */
  claim: z.string(),
  bytes: z.number(),
  /** Id of the instance. */
  to: z.string(),
});

/** What is carved out of a pool that is sold in instances. Bytes. */
export const carvingSchema = z.object({
  pool: z.string(),
  sizes: z.object({ minimum: z.number(), step: z.number(), maximum: z.number() }),
  instances: z
    .array(
      z.object({
        id: z.string(),
        bytes: z.number(),
        used: z.number(),
        /** Shares of ours; null for an instance of others. */
        shares: z.int().nullable(),
        /** The backend has sold it: it lists it. */
        listed: z.boolean(),
        /** It is being given back. */
        leaving: z.boolean(),
        since: z.string().nullable(),
      }),
    )
    .max(10_000),
  /** Ours alone: shares, what they hold, and what is bought for them. */
  shares: z.int(),
  used: z.number(),
  bought: z.number(),
  /** So many instances no carving does without, and what one made anew would come to. */
  atLeast: z.int(),
  anew: z.object({ instances: z.int(), bytes: z.number() }),
  /** The fewest moves that let an instance be given back; null where none can be freed. */
  freeing: z.object({ instance: z.string(), bytes: z.number(), moves: z.array(shareMoveSchema).max(500) }).nullable(),
  /** There are more shares than are looked at: what is said of freeing is of these alone. */
  more: z.boolean(),
});
export type Carving = z.infer<typeof carvingSchema>;

/** The moves as they were shown: one that is not as it was then is not made. */
export const freeInstanceSchema = z.object({
  moves: z.array(shareMoveSchema.pick({ volume: true, to: true })).max(500),
});
export type FreeInstance = z.infer<typeof freeInstanceSchema>;
