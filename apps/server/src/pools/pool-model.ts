import type { PoolFacts, Tier } from '@moorage/contract/backends';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A pool of a backend, with what was set for it here and what is promised of it. */
export class PoolModel extends Model<InferAttributes<PoolModel>, InferCreationAttributes<PoolModel>> {
  declare id: string;
  declare backendId: string;
  declare name: string;
  declare path: string;
  declare facts: PoolFacts;
  declare overcommit: CreationOptional<number>;
  declare softMark: CreationOptional<number>;
  declare hardMark: CreationOptional<number>;
  /** Raw bytes, as the pool is kept. */
  declare allotment: number | null;
  // the sums of what is promised are kept by a trigger on reservations and further copies
  declare reservedRaw: CreationOptional<number>;
  declare reservedBytes: CreationOptional<number>;
  declare promisedIops: CreationOptional<number>;
  declare version: CreationOptional<number>;
  declare seenAt: CreationOptional<Date>;
  /** Undefined by anybody: the media say which. */
  declare tier: Tier | null;
  declare price: number | null;
  declare allotmentIops: number | null;
  declare allotmentThroughput: number | null;
  declare goneSince: Date | null;
  /** The most it could ever keep: less than that is a finding. */
  declare largestUsable: CreationOptional<number>;
  /** Bytes per second as the pool has to move them. */
  declare promisedThroughput: CreationOptional<number>;
}

export const pools = table(
  'pools',
  PoolModel,
  {
    id: { type: DataTypes.TEXT, primaryKey: true },
    backendId: { type: DataTypes.TEXT, allowNull: false },
    name: { type: DataTypes.TEXT, allowNull: false },
    path: { type: DataTypes.TEXT, allowNull: false },
    facts: { type: DataTypes.JSONB, allowNull: false },
    overcommit: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 1 },
    softMark: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0.8 },
    hardMark: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0.9 },
    allotment: { type: DataTypes.BIGINT },
    reservedRaw: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
    reservedBytes: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
    promisedIops: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
    version: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
    seenAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
    tier: { type: DataTypes.TEXT, validate: { isIn: [['fast', 'standard', 'deep']] } },
    price: { type: DataTypes.DOUBLE },
    allotmentIops: { type: DataTypes.BIGINT },
    allotmentThroughput: { type: DataTypes.BIGINT },
    goneSince: { type: DataTypes.DATE },
    largestUsable: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
    promisedThroughput: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  },
  { scopes: { listed: { where: { goneSince: null } } } },
);
