import {
  applicationPageSchema,
  applicationPlanSchema,
  applicationQuerySchema,
  applicationSchema,
  newApplicationSchema,
  scalePlanSchema,
  scaleSchema,
  startedSchema,
} from '../applications';
import { claiming, reading, type Endpoint } from './endpoint';

export const applicationsEndpoints = {
  listApplications: {
    method: 'get',
    path: '/api/applications',
    summary: 'Owners of pods with claims, filtered and paged',
    allowed: reading,
    query: applicationQuerySchema,
    response: applicationPageSchema,
  },
  planApplication: {
    method: 'post',
    path: '/api/applications/plan',
    summary: 'Where the claims and pods of an application would go; nothing is done',
    allowed: claiming,
    body: newApplicationSchema,
    response: applicationPlanSchema,
  },
  startApplication: {
    method: 'post',
    path: '/api/applications',
    summary: 'Start an application: its set, its service and, where it is not there, its namespace',
    allowed: claiming,
    body: newApplicationSchema,
    response: startedSchema,
    status: 201,
  },
  getApplication: {
    method: 'get',
    path: '/api/applications/:namespace/:name',
    summary: 'One application with its replicas, their volumes and copies, and its common points of failure',
    allowed: reading,
    response: applicationSchema,
  },
  planScale: {
    method: 'post',
    path: '/api/applications/:namespace/:name/scale/plan',
    summary: 'What another number of replicas would bring about; nothing is done',
    allowed: claiming,
    body: scaleSchema,
    response: scalePlanSchema,
  },
  scaleApplication: {
    method: 'post',
    path: '/api/applications/:namespace/:name/scale',
    summary: 'Give an application another number of replicas',
    allowed: claiming,
    body: scaleSchema,
    response: startedSchema,
  },
} as const satisfies Record<string, Endpoint>;
