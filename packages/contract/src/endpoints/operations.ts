import { operationPageSchema, operationQuerySchema, operationSchema, retriedSchema, steerSchema } from '../operations';
import { claiming, engineering, reading, type Endpoint } from './endpoint';

export const operationsEndpoints = {
  listOperations: {
    method: 'get',
    path: '/api/operations',
    summary: 'What is under way, what has stopped, what has ended, newest first',
    allowed: reading,
    query: operationQuerySchema,
    response: operationPageSchema,
  },
  steerOperation: {
    method: 'post',
    path: '/api/operations/:id/:act',
    params: steerSchema,
    summary: 'Pause an operation, let it go on, try it again at once, or call it off',
    // which of them may steer which kind, its declaration says
    allowed: [...new Set([...engineering, ...claiming])],
    response: operationSchema,
  },
  retryRefused: {
    method: 'post',
    path: '/api/operations/retry',
    summary: 'Try again everything that was refused for good',
    allowed: engineering,
    response: retriedSchema,
  },
} as const satisfies Record<string, Endpoint>;
