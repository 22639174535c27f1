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
  signOut: { method: 'delete', path: '/api/session', summary: 'Sign out', allowed: reading, status: 204 },
} as const satisfies Record<string, Endpoint>;
