import { applicationPageSchema, applicationQuerySchema, applicationSchema } from '../applications';
import { reading, type Endpoint } from './endpoint';

export const applicationsEndpoints = {
  listApplications: {
    method: 'get',
    path: '/api/applications',
    summary: 'Owners of pods with claims, filtered and paged',
    allowed: reading,
    query: applicationQuerySchema,
    response: applicationPageSchema,
  },
  getApplication: {
    method: 'get',
    path: '/api/applications/:namespace/:name',
    summary: 'One application with its replicas, their volumes and copies, and its common points of failure',
    allowed: reading,
    response: applicationSchema,
  },
} as const satisfies Record<string, Endpoint>;
