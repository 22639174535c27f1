import { z } from 'zod';
import { checkSchema } from './claims';

/** One copy more, on a node or where it is best; or one fewer, on a disk or the one that is missed least. */
export const copyChangeSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('raise'), node: z.string().min(1).max(253).optional() }),
  z.object({ kind: z.literal('lower'), disk: z.string().min(1).max(253).optional() }),
]);
export type CopyChange = z.infer<typeof copyChangeSchema>;

const choiceSchema = z.object({
  disk: z.string(),
  node: z.string(),
  domain: z.string(),
  /** Bytes that may still be promised on the disk afterwards. */
  left: z.number(),
});
const survivalSchema = z.object({ withoutLoss: z.int(), withoutInterruption: z.int() });

/** What one copy more or fewer would come to, beside the copies as they are. */
export const copiesAnswerSchema = z.object({
  /** As the backend told of them last; `percent` of what there is to copy. */
  now: z.array(z.object({ disk: z.string(), node: z.string(), state: z.string(), percent: z.number() })),
  plan: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('not-ours') }),
    z.object({ kind: z.literal('pool-gone'), pool: z.string() }),
    z.object({ kind: z.literal('no-place'), need: z.number(), node: z.string().optional() }),
    z.object({ kind: z.literal('last-whole') }),
    z.object({
      kind: z.literal('reckoned'),
      fits: z.boolean(),
      checks: z.array(checkSchema).readonly(),
      copy: choiceSchema,
      choices: z.array(choiceSchema).readonly(),
      copies: z.int(),
      before: survivalSchema,
      after: survivalSchema,
      raw: z.number(),
      addedRaw: z.number(),
      backendIops: z.number(),
      backendThroughput: z.number(),
    }),
  ]),
});
export type CopiesAnswer = z.infer<typeof copiesAnswerSchema>;
