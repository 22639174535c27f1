import { openapiDocument } from '@moorage/contract/openapi';
import type { Person, Session } from '@moorage/contract/people';
import type { Request } from 'express';
import { getBackend, listBackends } from '../backends/backends';
import { getInventoryText, listBackendVolumes } from '../backends/inventory';
import { changeBackend, changeCredentials, registerBackend, removeBackend } from '../backends/registration';
import { listFindings, setAside, takeUp } from '../findings/findings';
import { readiness } from '../readiness/readiness';
import { beginReshape, undoReshape } from '../reshapes/begin';
import { getPoolShape } from '../reshapes/pool-shape';
import { listReshapes } from '../reshapes/reshape';
import { createClaim, deleteClaim, getClaim, listClaims } from '../claims/claims';
import { changeClass } from '../classes/change';
import { createClass, deleteClass, listClasses, listForeignClasses, makeDefault } from '../classes/classes';
import { changeGrants, getGrants } from '../classes/grants';
import { listSuccessions, makeSuccessor } from '../classes/successor';
import type { Database } from '../database/database';
import type { Engine } from '../engine';
import { findLine } from '../line/line';
import type { LiveStream } from '../live/stream';
import { listLogbook, record } from '../logbook/logbook';
import { makeFromManifest } from '../manifests/manifests';
import { applyDraft } from '../moorings/draft';
import { dropPlan, listPlans, planPlaces } from '../moorings/planned';
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
  const { platform, backends, vault, site } = engine;
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
    listBackends: () => listBackends(database, site),
    probeBackend: ({ body }) => backends.probe(body),
    registerBackend: ({ body, person }) => registerBackend(database, backends, vault, site, body, person.name),
    changeBackend: ({ params, version: seen, body, person }) =>
      changeBackend(database, site, params.id!, seen, body, person.name),
    changeCredentials: ({ params, body, person }) =>
      changeCredentials(database, backends, vault, params.id!, body, person.name),
    removeBackend: ({ params, person }) => removeBackend(database, backends, params.id!, person.name),
    getInventory: async ({ params, response }): Promise<typeof answered> => {
      // ended directly: a hash over a megabyte would cost more than it saves
      response.type('json').end(await getInventoryText(database, params.id!));
      return answered;
    },
    listBackendVolumes: ({ params, query }) => listBackendVolumes(database, params.id!, query),
    getLoad: async ({ params }) => {
      const { pools } = await getBackend(database, site, params.id!);
      const load = await (await backends.connector(params.id!)).fetchLoad(pools.map((p) => p.name));
      return pools.map((p) => ({
        pool: p.name,
        iops: p.facts.iops,
        throughput: p.facts.throughput,
        points: [...(load.get(p.name) ?? [])],
      }));
    },
    listBackendEvents: async ({ params }) => (await backends.connector(params.id!)).fetchEvents(),
    getPoolShape: ({ params }) => getPoolShape(database, params.id!, params.pool!),
    listReshapes: ({ params }) => listReshapes(database, params.id!),
    beginReshape: async ({ params, body, person }) => {
      const { reshape, operations } = await beginReshape(database, params.id!, body, person.name);
      await engine.begin(operations);
      return reshape;
    },
    undoReshape: async ({ params, person }) => {
      const { reshape, operations } = await undoReshape(database, params.id!, person.name);
      await engine.begin(operations);
      return reshape;
    },
    readiness: () => readiness(database, site),
    listFindings: () => listFindings(database),
    setAside: ({ params, body, person }) => setAside(database, params.id!, body, person.name),
    takeUp: ({ params, person }) => takeUp(database, params.id!, person.name),
    changePool: ({ params, version: seen, body, person }) =>
      changePool(database, params.pool!, seen, body, person.name),
    listClasses: () => listClasses(database),
    createClass: ({ body, person }) => createClass(database, platform, body, person.name),
    changeClass: async ({ params, version: seen, body, person }) =>
      (await changeClass(database, platform, params.name!, seen?.toString(), body, person.name)).row,
    deleteClass: ({ params, person }) => deleteClass(database, platform, params.name!, person.name),
    makeDefault: ({ params, person }) => makeDefault(database, platform, params.name!, person.name),
    listForeignClasses: () => listForeignClasses(database),
    getGrants: ({ params }) => getGrants(database, params.name!),
    changeGrants: ({ params, version: seen, body, person }) =>
      changeGrants(database, params.name!, seen, body, person.name),
    listSuccessions: ({ params }) => listSuccessions(database, params.name!),
    makeSuccessor: ({ params, body, person }) =>
      makeSuccessor(database, platform, site, params.name!, body.storageClass, body.takesDefault, person.name),
    applyDraft: ({ body, person }) => applyDraft(database, platform, site, body.changes, person.name),
    listPlans: () => listPlans(database),
    dropPlan: ({ params, person }) => dropPlan(database, params.plan!, person.name),
    planPlaces: ({ body, person }) => planPlaces(database, body, person.name),
    listMoorings: () => listMoorings(database),
    setMooring: ({ params, version: seen, body, person }) =>
      setMooring(database, site, { className: params.className!, pool: params.pool! }, seen, body, person.name),
    orderMoorings: ({ params, body, person }) => orderMoorings(database, params.className!, body.pools, person.name),
    placementState: () => placementState(database, site),
    listClaims: ({ query }) => listClaims(database, query),
    createClaim: async ({ body, person }) => {
      const { claim, operations } = await createClaim(database, platform, body, person.name, engine.beginBinding);
      void engine.begin(operations).catch(() => undefined); // the sweep finds what could not be put on the queue
      return claim;
    },
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
