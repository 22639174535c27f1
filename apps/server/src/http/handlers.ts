import { openapiDocument } from '@moorage/contract/openapi';
import type { Person, Session } from '@moorage/contract/people';
import type { Request } from 'express';
import { listBackends } from '../backends/backends';
import { createClaim, deleteClaim, getClaim, listClaims } from '../claims/claims';
import { createClass, deleteClass, listClasses, makeDefault } from '../classes/classes';
import type { Database } from '../database/database';
import type { Engine } from '../engine';
import { findLine } from '../line/line';
import type { LiveStream } from '../live/stream';
import { listLogbook, record } from '../logbook/logbook';
import { makeFromManifest } from '../manifests/manifests';
import { listMoorings, orderMoorings, placementState, setMooring } from '../moorings/moorings';
import { listNamespaces, setLimit } from '../namespaces/namespaces';
import { findBySignIn } from '../people/people';
import { changePool } from '../pools/pools';
import { HttpProblem } from './problem';
import { answered, type Handlers } from './routes';

export const version = '0.1.0';

declare module 'express-session' {
  interface SessionData {
    person: string;
  }
}

const regenerate = (request: Request): Promise<void> =>
  new Promise((resolve, reject) => request.session.regenerate((error) => (error ? reject(error as Error) : resolve())));
const destroy = (request: Request): Promise<void> =>
  new Promise((resolve, reject) => request.session.destroy((error) => (error ? reject(error as Error) : resolve())));

export function makeHandlers(database: Database, engine: Engine, stream: LiveStream): Handlers {
  const { platform } = engine;
  const withSite = (person: Person): Session => ({ ...person, site: engine.site });
  const signedIn = async (request: Request, person: Person): Promise<Session> => {
    await regenerate(request); // a session id from before signing in must not live on
    request.session.person = person.name;
    await record(database, { person: person.name, action: 'sign-in', kind: 'person', subject: person.name });
    return withSite(person);
  };
  return {
    health: ({ response }) => {
      const notReady = engine.problems;
      response.status(engine.isReady ? 200 : 503).json({ live: true, ready: engine.isReady, notReady, version });
      return answered;
    },
    signIn: async ({ body, request }) => {
      const person = await findBySignIn(database, body.name, body.password);
      if (!person)
        throw new HttpProblem(
          401,
          'wrong-sign-in',
          'Not signed in',
          'Name and password do not belong together. Check both.',
          'password',
        );
      return signedIn(request, person);
    },
    whoAmI: ({ person }) => withSite(person),
    signOut: async ({ request }) => destroy(request),
    listBackends: () => listBackends(database),
    changePool: ({ params, version: seen, body, person }) =>
      changePool(database, params.pool!, seen, body, person.name),
    listClasses: () => listClasses(database),
    createClass: ({ body, person }) => createClass(database, platform, body, person.name),
    deleteClass: ({ params, person }) => deleteClass(database, platform, params.name!, person.name),
    makeDefault: ({ params, person }) => makeDefault(database, platform, params.name!, person.name),
    listMoorings: () => listMoorings(database),
    setMooring: ({ params, version: seen, body, person }) =>
      setMooring(database, { className: params.className!, pool: params.pool! }, seen, body, person.name),
    orderMoorings: ({ params, body, person }) => orderMoorings(database, params.className!, body.pools, person.name),
    placementState: () => placementState(database),
    listClaims: ({ query }) => listClaims(database, query),
    createClaim: ({ body, person }) => createClaim(database, platform, body, person.name),
    createFromManifest: ({ body, person }) => makeFromManifest(database, platform, body.text, person),
    getClaim: ({ params }) => getClaim(database, params.namespace!, params.name!),
    deleteClaim: ({ params, query, person }) =>
      deleteClaim(database, platform, { namespace: params.namespace!, name: params.name! }, query.confirm, person.name),
    getLine: ({ query }) => findLine(database, query.claim),
    listNamespaces: () => listNamespaces(database),
    setNamespaceLimit: ({ params, body, person }) =>
      setLimit(database, { namespace: params.namespace! }, body.bytes, person.name),
    setClassLimit: ({ params, body, person }) =>
      setLimit(database, { namespace: params.namespace!, className: params.className! }, body.bytes, person.name),
    listLogbook: ({ query }) => listLogbook(database, query.cursor, query.limit),
    openapi: () => openapiDocument(version),
    events: ({ request, response }) => {
      stream.handle(request, response);
      return answered;
    },
  };
}
