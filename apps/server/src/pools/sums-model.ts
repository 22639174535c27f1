import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What is on a pool; kept by the database with each volume and reservation, never written from here. */
class PoolSumsModel extends Model<InferAttributes<PoolSumsModel>, InferCreationAttributes<PoolSumsModel>> {
  declare poolId: string;
  declare volumes: number;
  /** Raw bytes of volumes that no reservation explains. */
  declare foreignRaw: number;
  /** Reservations. */
  declare claims: number;
}

export const poolSums = table('pool_sums', PoolSumsModel, {
  poolId: { type: DataTypes.TEXT, primaryKey: true },
  volumes: { type: DataTypes.BIGINT, allowNull: false },
  foreignRaw: { type: DataTypes.BIGINT, allowNull: false },
  claims: { type: DataTypes.BIGINT, allowNull: false },
});

/** Bytes promised on a disk: by reservations, by plans that hold their places, by volumes that no reservation explains. */
class DiskUseModel extends Model<InferAttributes<DiskUseModel>, InferCreationAttributes<DiskUseModel>> {
  declare poolId: string;
  declare disk: string;
  declare bytes: number;
}

export const diskUse = table('disk_use', DiskUseModel, {
  poolId: { type: DataTypes.TEXT, primaryKey: true },
  disk: { type: DataTypes.TEXT, primaryKey: true },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
});

/** What a namespace has reserved of a class. */
class HeldTotalModel extends Model<InferAttributes<HeldTotalModel>, InferCreationAttributes<HeldTotalModel>> {
  declare namespace: string;
  declare className: string;
  declare claims: number;
  declare bytes: number;
  /** Reserved operations per second. */
  declare iops: number;
}

export const heldTotals = table('held_totals', HeldTotalModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true },
  claims: { type: DataTypes.BIGINT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  iops: { type: DataTypes.DOUBLE, allowNull: false },
});
