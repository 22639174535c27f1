import { z } from 'zod';
import { claimFilterSchema, filterNameSchema, keptFilterSchema, mostFilters } from '../filters';
import { demoPeopleSchema, sessionSchema, signInSchema } from '../people';
import { reading, type Endpoint } from './endpoint';

export const peopleEndpoints = {
  signIn: {
    method: 'post',
    path: '/api/session',
    summary: 'Sign in',
    allowed: 'everyone',
    body: signInSchema,
    bodyLimit: 2 * 1024,
    response: sessionSchema,
  },
  whoAmI: {
    method: 'get',
    path: '/api/session',
    summary: 'Who is signed in',
    allowed: reading,
    response: sessionSchema,
  },
  demoPeople: {
    method: 'get',
    path: '/api/demo-people',
    summary: 'Made-up people of a demonstration; none anywhere else',
    allowed: 'everyone',
    response: demoPeopleSchema,
  },
  listFilters: {
    method: 'get',
    path: '/api/filters',
    summary: 'Filters of claims that you keep by name',
    allowed: reading,
    response: z.array(keptFilterSchema).max(mostFilters),
  },
  keepFilter: {
    method: 'put',
    path: '/api/filters/:name',
    params: filterNameSchema,
    summary: 'Keep a filter of claims under a name',
    allowed: reading,
    body: claimFilterSchema,
    response: z.array(keptFilterSchema).max(mostFilters),
  },
  dropFilter: {
    method: 'delete',
    path: '/api/filters/:name',
    params: filterNameSchema,
    summary: 'Drop a filter that you keep',
    allowed: reading,
    response: z.array(keptFilterSchema).max(mostFilters),
  },
  signOut: { method: 'delete', path: '/api/session', summary: 'Sign out', allowed: reading, status: 204 },
} as const satisfies Record<string, Endpoint>;
