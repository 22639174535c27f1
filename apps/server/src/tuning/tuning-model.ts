import type { Tuned } from '@moorage/core/classes/tunable';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { ReservedBefore } from '../growth/growth-model';

/** What a bound claim tunes; its state is its operation's. */
export class TuningModel extends Model<InferAttributes<TuningModel>, InferCreationAttributes<TuningModel>> {
  declare operationId: string;
  declare claimUid: string;
  declare wanted: Tuned;
  /** Set with what is reserved anew. */
  declare before: CreationOptional<ReservedBefore | null>;
  /** As they stood in the claim, null where there was none; empty where the claim said so by itself, so that nothing is written into it. */
  declare annotations: CreationOptional<Readonly<Record<string, string | null>> | null>;
}

export const tunings = table('tunings', TuningModel, {
  operationId: { type: DataTypes.UUID, primaryKey: true },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  wanted: { type: DataTypes.JSONB, allowNull: false },
  before: { type: DataTypes.JSONB },
  annotations: { type: DataTypes.JSONB },
});
