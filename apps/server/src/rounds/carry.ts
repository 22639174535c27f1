import { claimNamed } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { beginGrowth } from '../growth/begin';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { knownVersion, noteChanged } from '../mirror/mirror';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { operations } from '../operations/operation-model';
import { advance, noteProgress } from '../operations/operations';
import { PlatformProblem, type PlatformConnector } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { beginTuning, ownRates } from '../tuning/tuning';
import { goingRound, type RoundState } from './kind';
import { tunedAfter, type Tunes } from './plan';
import { roundClaims, rounds, type RoundClaim, type RoundModel } from './round-model';

/** Claims that are asked for at once, and looked at again before the next ones. */
const atOnce = 16;
/** Answers that mean that this claim cannot be changed so, whatever is tried. */
const final = new Set(['invalid', 'forbidden', 'conflict', 'not-found']);

/** Carries one change to many claims: some at once, each written down when the platform has answered. */
export class RoundCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    /** Carries the growths and the tunings that begin. */
    private readonly begin: (operations: readonly string[]) => void,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<RoundState> {
    return {
      kind: goingRound,
      tells: () => ({ topic: 'claims' }),
      steps: {
        carrying: (o) => this.carry(o),
        leaving: (o) => advance(this.database, goingRound, o, 'left'),
      },
    };
  }

  private async carry(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const round = await rounds.in(database).findByPk(operation.subject);
    const claims = roundClaims.in(database);
    const left = { where: { roundId: operation.subject, state: 'waiting' as const } };
    for (;;) {
      await noteProgress(database, operation, await claims.count(left), 'steps');
      const next = await claims.findAll({ ...left, order: [['number', 'ASC']], limit: atOnce });
      if (!round || next.length === 0) return advance(database, goingRound, operation, 'carried');
      const asked = await Promise.allSettled(next.map((claim) => this.ask(round, claim)));
      const failed = asked.find((a) => a.status === 'rejected');
      if (failed) throw failed.reason;
      await announce(database, [{ topic: 'operations' }]);
      if (await this.isHalted(operation)) return undefined;
    }
  }

  /** Somebody paused it, or called it off: that is seen between claims. */
  private async isHalted({ id }: Operation): Promise<boolean> {
    const row = await operations.in(this.database).findByPk(id, { attributes: ['stopped', 'cancelledBy'] });
    return row === null || row.stopped !== null || row.cancelledBy !== null;
  }

  /** Asks the platform, and writes down that it did; asked again after a crash, it comes to the same. */
  private async ask({ person, change }: RoundModel, claim: RoundClaim): Promise<void> {
    try {
      if (change.kind === 'tune') await this.tune(person, claim, change);
      else if (change.kind === 'delete') await this.remove(person, claim);
      else await this.grow(person, claim, claim.size!);
    } catch (error) {
      const isFinal = error instanceof Refusal || (error instanceof PlatformProblem && final.has(error.code));
      if (!isFinal) throw error;
      await claim.update({ state: 'refused', problem: error instanceof Refusal ? error.detail : error.message });
    }
  }

  /** Begins to tune it: that asks the platform and the backend in its turn. */
  private async tune(person: string, claim: RoundClaim, change: Tunes): Promise<void> {
    const { database } = this;
    const { namespace, name, uid } = claim;
    const row = await first(claimNamed(database, namespace, name));
    if (row?.uid !== uid) throw Refusal.notFound('claim', `${namespace}/${name}`);
    const wanted = tunedAfter(ownRates(row), change);
    const begun = await database.transaction(async () => {
      await claim.update({ state: 'done' });
      return beginTuning(database, { namespace, name, uid }, wanted, person);
    });
    this.begin(begun);
  }

  private async remove(person: string, claim: RoundClaim): Promise<void> {
    const { namespace, name, uid } = claim;
    await this.platform.ensureDeleted('v1', 'PersistentVolumeClaim', name, namespace, uid);
    await this.database.transaction(async () => {
      await record(this.database, { person, action: 'delete', kind: 'claim', subject: `${namespace}/${name}` });
      await claim.update({ state: 'done' });
    });
  }

  private async grow(person: string, claim: RoundClaim, size: string): Promise<void> {
    const { database } = this;
    const { namespace, name, uid } = claim;
    const plural = 'persistentvolumeclaims';
    const before = await knownVersion(database, plural, name, namespace);
    const changed = await this.platform.mergePatch({
      ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name, namespace, uid } },
      spec: { resources: { requests: { storage: size } } },
    });
    const growths = await database.transaction(async () => {
      await noteChanged(database, plural, changed, before);
      const subject = `${namespace}/${name}`;
      await record(database, { person, action: 'change', kind: 'claim', subject, after: { size } });
      await claim.update({ state: 'done' });
      return beginGrowth(database, [uid]);
    });
    this.begin(growths);
  }
}
