import { createHmac } from 'node:crypto';

/** What a key came with, as a keyed digest: the request itself, with whatever it held, is kept nowhere. */
export const digestOf = (secret: Buffer, request: string): string =>
  createHmac('sha256', secret).update(request).digest('base64');
