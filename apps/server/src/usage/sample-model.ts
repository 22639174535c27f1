import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table, type Table } from '../database/table';

/** What values are kept of: a claim's volume (by the claim's uid), a use key (by its number), or all of a name together. */
export const seriesKinds = ['claim', 'key', 'namespace', 'class', 'pool', 'backend', 'site'] as const;
export type SeriesKind = (typeof seriesKinds)[number];

/** Something that is sampled. */
class SeriesModel extends Model<InferAttributes<SeriesModel>, InferCreationAttributes<SeriesModel>> {
  declare id: CreationOptional<number>;
  declare kind: SeriesKind;
  declare name: string;
}

/** Written by the statements that sample. @public every table has its model */
export const series = table('series', SeriesModel, {
  id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
  kind: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
});

/** Values of a minute. */
class SampleModel extends Model<InferAttributes<SampleModel>, InferCreationAttributes<SampleModel>> {
  declare seriesId: number;
  declare at: Date;
  declare written: number | null;
  declare iops: number | null;
  /** Bytes per second. */
  declare throughput: number | null;
  /** Milliseconds. */
  declare latency: number | null;
}

/** @public every table has its model */
export const samples = table('samples', SampleModel, {
  seriesId: { type: DataTypes.INTEGER, primaryKey: true },
  at: { type: DataTypes.DATE, primaryKey: true },
  written: { type: DataTypes.BIGINT },
  iops: { type: DataTypes.DOUBLE },
  throughput: { type: DataTypes.DOUBLE },
  latency: { type: DataTypes.DOUBLE },
});

/** What was counted of volumes: lists of the same length. */
export interface LastCounts {
  readonly volumes: readonly string[];
  readonly operations: readonly number[];
  readonly bytes: readonly number[];
  /** Milliseconds that the operations took. */
  readonly busyMs: readonly number[];
}

/** What a backend had counted of its volumes when it was sampled last, one row instead of one for each. */
class LastCountModel extends Model<InferAttributes<LastCountModel>, InferCreationAttributes<LastCountModel>> {
  declare backendId: string;
  declare at: Date;
  declare counts: LastCounts;
}

/** Written by statements. @public every table has its model */
export const lastCounts = table('last_counts', LastCountModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  at: { type: DataTypes.DATE, allowNull: false },
  counts: { type: DataTypes.JSON, allowNull: false },
});

/** The minute of which a backend told last. */
class SampledModel extends Model<InferAttributes<SampledModel>, InferCreationAttributes<SampledModel>> {
  declare backendId: string;
  declare at: Date | null;
  /** The last of its reports of volumes that was taken, by its name. */
  declare report: CreationOptional<string | null>;
}

/** @public every table has its model */
export const sampled = table('sampled', SampledModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  at: { type: DataTypes.DATE },
  report: { type: DataTypes.TEXT },
});

/** Nothing is sampled, since when; one row, or none. */
class SamplingStopModel extends Model<InferAttributes<SamplingStopModel>, InferCreationAttributes<SamplingStopModel>> {
  declare id: number;
  declare since: Date;
  /** Bytes that were free on the database's disk. */
  declare free: number;
}

export const samplingStops = table('sampling_stops', SamplingStopModel, {
  id: { type: DataTypes.INTEGER, primaryKey: true },
  since: { type: DataTypes.DATE, allowNull: false },
  free: { type: DataTypes.BIGINT, allowNull: false },
});

/** Spans that values are rolled up over. */
export const steps = ['5m', '1h', '1d'] as const;
export type Step = (typeof steps)[number];

const spread = (figure: 'iops' | 'throughput' | 'latency') => ({
  [`${figure}Count`]: { type: DataTypes.INTEGER, allowNull: false },
  [`${figure}Least`]: { type: DataTypes.DOUBLE },
  [`${figure}Most`]: { type: DataTypes.DOUBLE },
  [`${figure}Sum`]: { type: DataTypes.DOUBLE },
  [`${figure}Sketch`]: { type: DataTypes.ARRAY(DataTypes.INTEGER) },
});
/** Values of a span of time: how many, the least, the most, their sum, and how they are spread. */
class RolledModel extends Model<InferAttributes<RolledModel>, InferCreationAttributes<RolledModel>> {
  declare seriesId: number;
  declare at: Date;
}
const rolledOver = (step: Step): Table<RolledModel> =>
  table(`rolled_${step}`, RolledModel, {
    seriesId: { type: DataTypes.INTEGER, primaryKey: true },
    at: { type: DataTypes.DATE, primaryKey: true },
    writtenCount: { type: DataTypes.INTEGER, allowNull: false },
    writtenLeast: { type: DataTypes.BIGINT },
    writtenMost: { type: DataTypes.BIGINT },
    writtenSum: { type: DataTypes.DOUBLE },
    writtenLast: { type: DataTypes.BIGINT },
    ...spread('iops'),
    ...spread('throughput'),
    ...spread('latency'),
  });

/** @public every table has its model */
export const rolled5m = rolledOver('5m');
/** @public every table has its model */
export const rolled1h = rolledOver('1h');
/** @public every table has its model */
export const rolled1d = rolledOver('1d');

/** A span of which samples came since it was rolled up last. */
class RollDueModel extends Model<InferAttributes<RollDueModel>, InferCreationAttributes<RollDueModel>> {
  declare step: Step;
  declare at: Date;
}

/** @public every table has its model */
export const rollDue = table('roll_due', RollDueModel, {
  step: { type: DataTypes.TEXT, primaryKey: true },
  at: { type: DataTypes.DATE, primaryKey: true },
});
