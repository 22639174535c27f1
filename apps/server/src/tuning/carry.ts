import { prefix } from '@moorage/core/classes/manifest';
import { megabyte } from '@moorage/core/placement/rules';
import { tune } from '@moorage/core/placement/tuning';
import type { Backends } from '../backends/backends';
import type { Database } from '../database/database';
import { asRecords, first } from '../database/statement';
import { reserveMore } from '../growth/growth.sql';
import { claimOf, sayInClaim } from '../growth/bound';
import { factsToGrow } from '../growth/facts';
import type { ReservedBefore, ReservedPart } from '../growth/growth-model';
import { announce } from '../live/announce';
import type { Work } from '../operations/kind';
import type { Operation } from '../operations/operation';
import { advance } from '../operations/operations';
import type { PlatformConnector } from '../platform/connector';
import { OutsideProblem } from '../refusals/outside';
import { furtherCopiesOf, reservedFor, type Reserved } from '../reservations/reservation.sql';
import { onceFree } from './begin';
import { tuning, type TuningState } from './kind';
import { annotationsOf, asking, objectionTo, ratesOf } from './tuning';
import { tunings, type TuningModel } from './tuning-model';

/** Carries claims to other ceilings and floors: reserve, say so on the platform, ask the backends. Each step comes to the same when it is done again. */
export class TuningCarrier {
  constructor(
    private readonly database: Database,
    private readonly platform: PlatformConnector,
    private readonly backends: Backends,
    private readonly site: string,
    /** Carries what begins when one has ended. */
    private readonly begin: (operations: readonly string[]) => void,
  ) {}

  /** The kind of operations that this room carries. */
  get work(): Work<TuningState> {
    return {
      kind: tuning,
      tells: () => ({ topic: 'claims' }),
      afterFailure: (_o, error) => (error instanceof OutsideProblem && error.isForGood ? 'undo' : 'again'),
      steps: {
        deciding: (o) => this.decide(o),
        telling: (o) => this.tell(o),
        asking: (o) => this.ask(o),
        returning: (o) => this.goBack(o),
      },
    };
  }

  private advance = (operation: Operation, to: TuningState) => advance(this.database, tuning, operation, to);
  /** It has ended; rates that the claim said meanwhile are taken up with the same stroke. */
  private async end(operation: Operation, to: TuningState, reserved: Reserved, cause?: string) {
    const [ended, begun] = await this.database.transaction(async () => [
      await advance(this.database, tuning, operation, to, cause === undefined ? {} : { cause }),
      await onceFree(this.database, reserved),
    ]);
    this.begin(begun);
    return ended;
  }
  private wanted = ({ id }: Operation) => tunings.in(this.database).findByPk(id, { rejectOnEmpty: true });

  private decide(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    return database.transaction(async () => {
      const facts = await factsToGrow(database, this.site, operation.subject, 'lock');
      if (typeof facts === 'string') return this.advance(operation, 'abandoned');
      const asked = await this.wanted(operation);
      const { reserved, further } = facts;
      const answer = tune(asking(facts.input, asked.wanted));
      const objection = objectionTo(answer);
      if (answer.kind !== 'reckoned' || objection !== undefined)
        return this.end(operation, 'refused', reserved, objection);
      const partOf = (at: Omit<ReservedPart, 'pool_id'> & { readonly pool_id: string }): ReservedPart => ({
        ...{ pool_id: at.pool_id, bytes: at.bytes, raw_bytes: at.raw_bytes },
        ...{ backend_iops: at.backend_iops, backend_throughput: at.backend_throughput },
      });
      const parts = [reserved, ...further].map(partOf);
      await asked.update({ before: { parts, ...ratesOf(reserved) } });
      const after = parts.map((part, i): ReservedPart => ({
        ...part,
        ...{ backend_iops: answer.on[i]!.backendIops, backend_throughput: answer.on[i]!.backendThroughput },
      }));
      await this.reserve(reserved, answer.rates, after);
      return this.advance(operation, 'telling');
    });
  }

  private async reserve(
    { claim_uid, bytes, pool_id }: Reserved,
    rates: Omit<ReservedBefore, 'parts'>,
    parts: readonly ReservedPart[],
  ): Promise<void> {
    const { iopsFloor, iopsCeiling, throughputFloor, throughputCeiling } = rates;
    const own = [iopsFloor, iopsCeiling, throughputFloor, throughputCeiling] as const;
    const [written] = await reserveMore(this.database, claim_uid, bytes, asRecords(parts), ...own);
    if (!written)
      throw new Error(`what is reserved for claim ${claim_uid} was changed by something else than its tuning`);
    await announce(this.database, [{ topic: 'claims' }, { topic: 'pools', subject: pool_id }]);
  }

  private async tell(operation: Operation): Promise<Operation | undefined> {
    const asked = await this.wanted(operation);
    const reserved = await first(reservedFor(this.database, operation.subject));
    if (!reserved) return this.advance(operation, 'abandoned');
    const there = await claimOf(this.platform, reserved);
    if (!there) return this.advance(operation, 'abandoned');
    const wanted = annotationsOf(asked.wanted);
    if (asked.annotations === null) {
      // written before it is asked: whoever takes it back knows what it was
      const before = Object.keys(wanted).map((s) => [s, there.metadata.annotations?.[prefix + s] ?? null] as const);
      await asked.update({ annotations: Object.fromEntries(before) });
    }
    // what somebody wrote there may have been written anew meanwhile: it is theirs
    if (Object.keys(asked.annotations!).length > 0) await sayInClaim(this.database, this.platform, reserved, wanted);
    return this.advance(operation, 'asking');
  }

  private async ask(operation: Operation): Promise<Operation | undefined> {
    const reserved = await first(reservedFor(this.database, operation.subject));
    // of a claim that is gone, the volume may be gone too: nobody is asked about it
    if (!reserved?.volume_id || !(await claimOf(this.platform, reserved))) return this.advance(operation, 'abandoned');
    await this.askBackends(reserved, ratesOf(reserved));
    return this.end(operation, 'tuned', reserved);
  }

  /** The volume and the copy that is written with it are held to the same; one that is written later is held to none. */
  private async askBackends(reserved: Reserved, { iopsCeiling, throughputCeiling }: ReturnType<typeof ratesOf>) {
    const further = (await furtherCopiesOf(this.database, reserved.claim_uid)).filter((f) => f.mode === 'synchronous');
    for (const at of [...further, reserved]) {
      if (!at.volume_id) continue;
      const backend = await this.backends.connector(at.backend_id);
      await backend.ensureGrown({
        ...{ id: at.volume_id, poolPath: at.path, bytes: at.bytes, lift: 'unless-given' },
        ...(iopsCeiling !== null && { iopsCeiling }),
        ...(throughputCeiling !== null && { bytesPerSecondCeiling: throughputCeiling * megabyte }),
      });
    }
    await this.backends.sync(reserved.backend_id);
  }

  private async goBack(operation: Operation): Promise<Operation | undefined> {
    const { database } = this;
    const asked: TuningModel = await this.wanted(operation);
    const reserved = await first(reservedFor(database, operation.subject));
    if (!reserved) return this.advance(operation, 'abandoned');
    const { before, annotations } = asked;
    // nothing was reserved yet
    if (before === null) return this.end(operation, 'returned', reserved);
    // sizes as they are: a volume that grew meanwhile stays as large
    const sizes = new Map(
      [reserved, ...(await furtherCopiesOf(database, operation.subject))].map((p) => [p.pool_id, p]),
    );
    const parts = before.parts.map((part) => {
      const { bytes = part.bytes, raw_bytes = part.raw_bytes } = sizes.get(part.pool_id) ?? {};
      return { ...part, bytes, raw_bytes };
    });
    await this.reserve(reserved, before, parts);
    if (annotations !== null) {
      if (!(await claimOf(this.platform, reserved))) return this.advance(operation, 'abandoned');
      if (Object.keys(annotations).length > 0) await sayInClaim(this.database, this.platform, reserved, annotations);
      await this.askBackends(reserved, before);
    }
    return this.end(operation, 'returned', reserved);
  }
}
