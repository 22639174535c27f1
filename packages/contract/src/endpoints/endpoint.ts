import type { z } from 'zod';
import { roles, type Role } from '../people';

/** One call of the API: what it takes, what it gives, and who may make it. */
export interface Endpoint {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** Express form: parameters begin with a colon. */
  readonly path: string;
  readonly summary: string;
  /** Who may call it; `everyone` needs no sign-in. */
  readonly allowed: readonly Role[] | 'everyone';
  readonly query?: z.ZodObject;
  /** What parts of the path look like, where not any text will do. */
  readonly params?: z.ZodObject;
  readonly body?: z.ZodType;
  /** Bytes of its body at most, where the usual 64 KiB are too few, or too many. */
  readonly bodyLimit?: number;
  readonly response?: z.ZodType;
  readonly status?: number;
}

export const mebibyte = 1024 * 1024;
export const reading = roles;
export const operating: readonly Role[] = ['administrator', 'operator'];
export const engineering: readonly Role[] = ['administrator', 'operator', 'storage-engineer'];
export const claiming: readonly Role[] = ['administrator', 'operator', 'namespace-owner'];
