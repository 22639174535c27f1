import { healthSchema } from '../health';
import { reading, type Endpoint } from './endpoint';

export const serviceEndpoints = {
  health: {
    method: 'get',
    path: '/api/health',
    summary: 'Whether the server lives and is ready',
    allowed: 'everyone',
    response: healthSchema,
  },
  openapi: { method: 'get', path: '/api/openapi.json', summary: 'This document', allowed: 'everyone' },
  events: { method: 'get', path: '/api/events', summary: 'Live changes as server-sent events', allowed: reading },
} as const satisfies Record<string, Endpoint>;
