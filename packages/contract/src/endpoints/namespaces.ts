import { z } from 'zod';
import { limitSchema, namespaceUsageSchema } from '../namespaces';
import { operating, reading, type Endpoint } from './endpoint';

export const namespacesEndpoints = {
  listNamespaces: {
    method: 'get',
    path: '/api/namespaces',
    summary: 'Use per namespace and class',
    allowed: reading,
    response: z.array(namespaceUsageSchema),
  },
  setNamespaceLimit: {
    method: 'put',
    path: '/api/namespaces/:namespace/limit',
    summary: 'Limit the provisioned bytes of a namespace',
    allowed: operating,
    body: limitSchema,
    status: 204,
  },
  setClassLimit: {
    method: 'put',
    path: '/api/namespaces/:namespace/limit/:className',
    summary: 'Limit the provisioned bytes of a namespace in one class',
    allowed: operating,
    body: limitSchema,
    status: 204,
  },
} as const satisfies Record<string, Endpoint>;
