import type { GrowthAnswer } from '@moorage/contract/growth';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What is reserved for a volume on one pool, or for a copy of it elsewhere. */
export interface ReservedPart {
  readonly pool_id: string;
  readonly bytes: number;
  readonly raw_bytes: number;
  readonly backend_iops: number;
  readonly backend_throughput: number;
}

/** What was reserved before a growth. IOPS, and MB/s. */
export interface ReservedBefore {
  readonly parts: readonly ReservedPart[];
  readonly iopsFloor: number;
  readonly iopsCeiling: number | null;
  readonly throughputFloor: number;
  readonly throughputCeiling: number | null;
}

/** What a claim that asks for more was answered, and what was reserved for it. Its state is its operation's. Bytes. */
class GrowthModel extends Model<InferAttributes<GrowthModel>, InferCreationAttributes<GrowthModel>> {
  declare operationId: string;
  declare claimUid: string;
  declare wanted: number;
  declare fromBytes: number;
  /** Set when the room is reserved. */
  declare toBytes: number | null;
  declare answer: GrowthAnswer;
  declare before: ReservedBefore | null;
  declare madeAt: CreationOptional<Date>;
}

export const growths = table('growths', GrowthModel, {
  operationId: { type: DataTypes.UUID, primaryKey: true },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  wanted: { type: DataTypes.BIGINT, allowNull: false },
  fromBytes: { type: DataTypes.BIGINT, allowNull: false },
  toBytes: { type: DataTypes.BIGINT },
  answer: { type: DataTypes.JSONB, allowNull: false },
  before: { type: DataTypes.JSONB },
  madeAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
