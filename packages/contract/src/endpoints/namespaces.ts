import { z } from 'zod';
import { limitSchema, namespaceUsageSchema, newLimitsSchema } from '../namespaces';
import { mebibyte, operating, reading, type Endpoint } from './endpoint';

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
  setLimits: {
    method: 'put',
    path: '/api/limits',
    summary: 'Limit the provisioned bytes of many namespaces, all or none',
    allowed: operating,
    body: newLimitsSchema,
    bodyLimit: mebibyte,
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
