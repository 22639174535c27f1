import { openapiDocument } from '@moorage/contract/openapi';
import { steerSchema as steerParams } from '@moorage/contract/operations';
import type { Person, Session } from '@moorage/contract/people';
import { clientAtSchema } from '@moorage/contract/registration';
import type { Request } from 'express';
import { getApplication, listApplications } from '../applications/applications';
import { cordonNode, drainNode, listNodes, planNodeDrain } from '../applications/drain';
import { declareOff } from '../applications/fence';
import { deletePod } from '../applications/moves';
import {
  planApplication,
  planScale,
  planSpread,
  scaleApplication,
  spreadApplication,
  startApplication,
} from '../applications/start';
import { getBackend, listBackends } from '../backends/backends';
import { allowClient, disallowClient } from '../backends/clients';
import { getInventoryText, listBackendVolumes, ownEvents } from '../backends/inventory';
import { createClaim, deleteClaim, getClaim, listClaims } from '../claims/claims';
import { planDeletionOf } from '../claims/deletion';
import { keepVolume } from '../claims/keep';
import { sayingsOf } from '../claims/sayings';
import { exportClaims } from '../claims/export';
import { changeClass } from '../classes/change';
import { createClass, deleteClass, makeDefault } from '../classes/classes';
import { listClasses, listForeignClasses } from '../classes/listing';
import { BucketDesk, getBucket, listBucketClasses, listBuckets } from '../buckets/buckets';
import { changeGrants, getGrants } from '../classes/grants';
import type { Database } from '../database/database';
import { listDrifts, mendDrifts } from '../drift/list';
import { applyDraft } from '../drafts/draft';
import type { Engine } from '../engine';
import { listFindings, setAside, takeUp } from '../findings/findings';
import { outlookOf } from '../growth/answer';
import { growClaim } from '../growth/ask';
import { freeInstance, getCarving } from '../instances/carve';
import { findLine, findProof } from '../line/line';
import { endedChannel } from '../live/announce';
import { notifyAll } from '../live/announce.sql';
import { streamKey, type LiveStream } from '../live/stream';
import { lookUp } from '../lookup/lookup';
import { listLogbook, record } from '../logbook/logbook';
import { planApplicationText, startApplicationText } from '../manifests/application-text';
import { applyManifests, planManifestText } from '../manifests/manifests';
import { listMoorings, orderMoorings, setMooring } from '../moorings/moorings';
import { dropPlan, listPlans, planPlaces } from '../moorings/planned';
import { getOperation, listOperations } from '../operations/listing';
import { retryRefused, steer } from '../operations/steer';
import type { SignInBrake } from '../people/brake';
import { dropFilter, keepFilter, keptFilters } from '../people/filters';
import { findBySignIn } from '../people/people';
import { Sight } from '../people/sight';
import { placementState } from '../placement/placement';
import { changePool } from '../pools/pools';
import { readiness } from '../readiness/readiness';
import { useOfShare } from '../readiness/share';
import { Refusal } from '../refusals/refusal';
import { changeBackend, changeCredentials, registerBackend, removeBackend } from '../registration/registration';
import { beginReshape, undoReshape } from '../reshapes/begin';
import { getPoolShape } from '../reshapes/pool-shape';
import { listReshapes } from '../reshapes/reshape';
import { planRound } from '../rounds/plan';
import { beginRound, getRound } from '../rounds/rounds';
import { listSalvage } from '../salvage/list';
import { destroyVolume, giveBack, lengthenGrace } from '../salvage/salvage';
import { listSuccessions, makeSuccessor } from '../successions/successor';
import { listCandidates, nameVolume } from '../static-volumes/static-volumes';
import { changeCopiesOf, planCopies } from '../copies/copies';
import { planTuning, tuneClaim } from '../tuning/tuning';
import { answered, type Handlers } from './routes';
import { useHandlers } from './use-handlers';

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

/** The claim that an address names. */
const claimAt = ({ namespace = '', name = '' }: Readonly<Record<string, string>>) => ({ namespace, name });

export function makeHandlers(database: Database, engine: Engine, stream: LiveStream, brake: SignInBrake): Handlers {
  const { acts, platform, backends, vault, site, reader } = engine;
  const withSite = (person: Person): Session => ({
    ...person,
    site: engine.site,
    currency: engine.config.currency,
  });
  const signedIn = async (request: Request, person: Person): Promise<Session> => {
    await regenerate(request); // a session id from before signing in must not live on
    request.session.person = person.name;
    await record(database, { person: person.name, action: 'sign-in', kind: 'person', subject: person.name });
    return withSite(person);
  };
  const desk = new BucketDesk(database, platform, engine.carry);
  return {
    health: ({ response }) => {
      const notReady = engine.problems;
      response.status(engine.isReady ? 200 : 503).json({ live: true, ready: engine.isReady, notReady, version });
      return answered;
    },
    signIn: async ({ body, request }) => {
      const address = request.ip ?? '';
      const person = await brake.through(
        body.name,
        address,
        () => findBySignIn(database, body.name, body.password),
        (by, waitS) =>
          record(database, {
            person: '',
            action: 'sign-in',
            kind: 'person',
            // only names that somebody has: in the place of others, people type passwords
            subject: by === 'address' ? address : 'an account',
            after: { refused: by, waitS },
          }),
      );
      if (!person)
        throw new Refusal(
          'not-signed-in',
          'wrong-sign-in',
          'Not signed in',
          'Name and password do not belong together. Check both.',
          'password',
        );
      return signedIn(request, person);
    },
    whoAmI: ({ person }) => withSite(person),
    demoPeople: () =>
      engine.config.demo
        ? engine.config.estate.people.map(({ name, title, role, password }) => ({ name, title, role, password }))
        : [],
    listFilters: ({ person }) => keptFilters(database, person.name),
    keepFilter: ({ params, body, person }) => keepFilter(database, person.name, params.name!, body),
    dropFilter: ({ params, person }) => dropFilter(database, person.name, params.name!),
    signOut: async ({ request }) => {
      const ended = streamKey(request.sessionID);
      await destroy(request);
      await notifyAll(database, endedChannel, [ended]);
    },
    listBackends: () => listBackends(database, site),
    probeBackend: ({ body }) => backends.probe(body),
    registerBackend: ({ body, person }) => registerBackend(database, backends, vault, site, body, person.name),
    changeBackend: ({ params, version: seen, body, person }) =>
      changeBackend(database, site, params.id!, seen, body, person.name),
    changeCredentials: ({ params, body, person }) =>
      changeCredentials(database, backends, vault, params.id!, body, person.name),
    removeBackend: ({ params, person }) => removeBackend(database, backends, params.id!, person.name),
    allowClient: ({ params, person }) => allowClient(database, backends, clientAtSchema.parse(params), person.name),
    disallowClient: ({ params, person }) =>
      disallowClient(database, backends, clientAtSchema.parse(params), person.name),
    getInventory: async ({ params, response }): Promise<typeof answered> => {
      // ended directly: a hash over a megabyte would cost more than it saves
      response.type('json').end(await getInventoryText(database, params.id!));
      return answered;
    },
    listBackendVolumes: ({ params, query, person }) =>
      listBackendVolumes(database, Sight.of(person), params.id!, query),
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
    listBackendEvents: async ({ params, person }) => {
      await getBackend(database, site, params.id!);
      const events = await (await backends.connector(params.id!)).fetchEvents();
      return ownEvents(database, Sight.of(person), events);
    },
    getPoolShape: ({ params, person }) => getPoolShape(database, Sight.of(person), params.id!, params.pool!),
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
    listOperations: ({ query, person }) => listOperations(database, engine.works, Sight.of(person), person, query),
    steerOperation: async ({ params, person }) => {
      const { id, act } = steerParams.parse(params);
      await engine.begin([await steer(database, engine.works, Sight.of(person), id, act, person)]);
      return getOperation(database, engine.works, id, person);
    },
    retryRefused: async ({ person }) => {
      const { ids, more } = await retryRefused(database, engine.works, person);
      await engine.begin(ids);
      return { tried: ids.length, more };
    },
    readiness: () => readiness(database, site),
    listFindings: ({ person }) => listFindings(database, Sight.of(person)),
    setAside: ({ params, body, person }) => setAside(database, params.id!, body, person.name),
    takeUp: ({ params, person }) => takeUp(database, params.id!, person.name),
    changePool: ({ params, version: seen, body, person }) =>
      changePool(database, params.pool!, seen, body, person.name),
    listClasses: ({ person }) => listClasses(database, undefined, Sight.of(person)),
    createClass: ({ body, person }) => createClass(database, acts, body, person.name),
    changeClass: ({ params, version: seen, body, person }) =>
      changeClass(database, acts, params.name!, seen?.toString(), body, person.name),
    deleteClass: ({ params, person }) => deleteClass(database, acts, params.name!, person.name),
    makeDefault: ({ params, person }) => makeDefault(database, acts, params.name!, person.name),
    listForeignClasses: () => listForeignClasses(database),
    getGrants: ({ params, person }) => getGrants(database, Sight.of(person), params.name!),
    changeGrants: ({ params, version: seen, body, person }) =>
      changeGrants(database, params.name!, seen, body, person.name),
    listSuccessions: ({ params, person }) => listSuccessions(database, Sight.of(person), params.name!),
    makeSuccessor: ({ params, body, person }) =>
      makeSuccessor(database, acts, site, params.name!, body.storageClass, body.takesDefault, person.name),
    applyDraft: ({ body, person }) => applyDraft(database, acts, site, body.changes, person.name),
    listPlans: ({ person }) => listPlans(database, Sight.of(person)),
    dropPlan: ({ params, person }) => dropPlan(database, params.plan!, person.name),
    planPlaces: ({ body, person }) => planPlaces(database, body, person.name),
    listMoorings: () => listMoorings(database),
    setMooring: ({ params, version: seen, body, person }) =>
      setMooring(database, site, { className: params.className!, pool: params.pool! }, seen, body, person.name),
    orderMoorings: ({ params, body, person }) => orderMoorings(database, params.className!, body.pools, person.name),
    placementState: ({ person }) => placementState(database, site, Sight.of(person)),
    listApplications: ({ query, person }) => listApplications(database, Sight.of(person), query),
    getApplication: ({ params, person }) => getApplication(database, Sight.of(person), params.namespace!, params.name!),
    planApplication: ({ body, person }) => planApplication(database, site, body, person),
    startApplication: ({ body, person }) => startApplication(database, site, engine.acts, body, person),
    planApplicationText: ({ body, person }) => planApplicationText(database, site, reader, body.text, person),
    startApplicationText: ({ body, person }) =>
      startApplicationText(database, site, engine.acts, reader, body.text, person),
    listNodes: () => listNodes(database),
    cordonNode: ({ params, body, person }) => cordonNode(database, platform, params.node!, body.cordoned, person.name),
    declareOff: ({ params, body, person }) => declareOff(database, platform, params.node!, body, person.name),
    planDrain: ({ params }) => planNodeDrain(database, params.node!),
    drainNode: ({ params, person }) => drainNode(database, params.node!, person.name, engine.carry),
    deletePod: ({ params, person }) => deletePod(database, platform, { ...claimAt(params), pod: params.pod! }, person),
    planScale: ({ params, body, person }) => planScale(database, site, claimAt(params), body.replicas, person),
    planSpread: ({ params, body, person }) => planSpread(database, site, claimAt(params), body.by, person),
    spreadApplication: ({ params, body, person }) =>
      spreadApplication(database, site, engine.acts, claimAt(params), body.by, person),
    scaleApplication: ({ params, body, person }) =>
      scaleApplication(database, site, engine.acts, claimAt(params), body, person),
    listClaims: ({ query, person }) => listClaims(database, Sight.of(person), query),
    exportClaims: async ({ query, person, response }): Promise<typeof answered> => {
      response.attachment(`claims.${query.format}`);
      await exportClaims(database, Sight.of(person), query, response);
      return answered;
    },
    createClaim: ({ body, person }) => createClaim(database, platform, body, person.name, engine),
    createFromManifest: ({ body, person }) => applyManifests(database, acts, reader, body, person),
    planCopies: ({ params, body, person }) => planCopies(database, site, Sight.of(person), claimAt(params), body),
    changeCopies: ({ params, body, person }) =>
      changeCopiesOf(database, site, Sight.of(person), claimAt(params), body, person.name, engine.carry),
    planTuning: ({ params, body, person }) => planTuning(database, site, Sight.of(person), claimAt(params), body),
    tuneClaim: ({ params, body, person }) =>
      tuneClaim(database, site, Sight.of(person), claimAt(params), body, person.name, engine.carry),
    getClaimSayings: ({ params, person }) => sayingsOf(database, platform, Sight.of(person), claimAt(params)),
    getCarving: ({ params }) => getCarving(database, params.pool!),
    freeInstance: ({ params, body, person }) =>
      freeInstance(database, params.pool!, params.instance!, body, person.name, engine.carry),
    getShare: ({ params, person }) => useOfShare(database, engine.backends, Sight.of(person), claimAt(params)),
    getProof: ({ params, person }) => findProof(database, Sight.of(person), `${params.namespace}/${params.name}`),
    planDeletion: ({ params, person }) => planDeletionOf(database, Sight.of(person), claimAt(params)),
    keepVolume: ({ params, person }) => keepVolume(database, acts, Sight.of(person), claimAt(params), person.name),
    listDrifts: ({ query, person }) => listDrifts(database, Sight.of(person), query),
    mendDrifts: async ({ body, person }) => {
      const { answer, operations } = await mendDrifts(database, person, body);
      engine.carry(operations);
      return answer;
    },
    listCandidates: ({ params, person }) => listCandidates(database, Sight.of(person), claimAt(params)),
    nameVolume: ({ params, body, person }) =>
      nameVolume(database, acts, Sight.of(person), claimAt(params), body.volume, person.name),
    planManifest: ({ body, person }) => planManifestText(database, site, reader, body.text, person),
    getClaim: ({ params, person }) =>
      getClaim(database, Sight.of(person), params.namespace!, params.name!, engine.works),
    deleteClaim: ({ params, query, person }) =>
      deleteClaim(database, platform, claimAt(params), query.confirm, person.name),
    getGrowth: ({ params, query, person }) => outlookOf(database, site, Sight.of(person), claimAt(params), query.size),
    growClaim: ({ params, body, person }) =>
      growClaim(database, platform, claimAt(params), body.size, person.name, engine.carry),
    getLine: ({ query, person }) => findLine(database, Sight.of(person), query.claim),
    planRound: async ({ body, person }) => (await planRound(database, site, Sight.of(person), body)).plan,
    beginRound: async ({ body, person }) => {
      const { round, operations } = await beginRound(database, site, person, body);
      await engine.begin(operations);
      return round;
    },
    getRound: ({ params, person }) => getRound(database, person, params.id!),
    listSalvage: ({ query, person }) => listSalvage(database, Sight.of(person), query),
    giveBack: async ({ body, person }) => {
      const { given, operations } = await giveBack(database, person, body);
      await engine.begin(operations);
      return given;
    },
    lengthenGrace: ({ body, person }) => lengthenGrace(database, person, body.id, body.days),
    destroyVolume: async ({ body, person }) =>
      engine.begin(await destroyVolume(database, person, body.id, body.confirm)),
    listBuckets: ({ query, person }) => listBuckets(database, Sight.of(person), query),
    getBucket: ({ params, person }) => getBucket(database, Sight.of(person), claimAt(params)),
    createBucket: ({ body, person }) => desk.createBucket(Sight.of(person), body, person.name),
    deleteBucket: ({ params, query, person }) =>
      desk.deleteBucket(Sight.of(person), claimAt(params), query.confirm, person.name),
    setBucketLimit: ({ params, body, person }) =>
      desk.setLimit(Sight.of(person), claimAt(params), body.limit, person.name),
    destroyBucket: ({ params, query, person }) => desk.destroyKept(params.bucket!, query.confirm, person.name),
    createBucketKey: ({ params, body, person }) => desk.createKey(Sight.of(person), claimAt(params), body, person.name),
    deleteBucketKey: ({ params, person }) =>
      desk.deleteKey(Sight.of(person), claimAt(params), params.access!, person.name),
    listBucketClasses: () => listBucketClasses(database),
    createBucketClass: ({ body, person }) => desk.createClass(body, person.name),
    deleteBucketClass: ({ params, person }) => desk.deleteClass(params.name!, person.name),
    lookUp: ({ query, person }) => lookUp(database, Sight.of(person), query.q),
    ...useHandlers(database, engine.config.currency),
    listLogbook: ({ query, person }) => listLogbook(database, Sight.of(person), person.name, query.cursor, query.limit),
    openapi: () => openapiDocument(version),
    events: ({ request, response, person }) => {
      stream.handle(request, response, person.name, Sight.of(person));
      return answered;
    },
  };
}
