import type { BackendRow, Trust } from '@moorage/contract/backends';
import type { BackendWays } from '@moorage/core/nodes/readiness';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A registered backend. */
class BackendModel extends Model<InferAttributes<BackendModel>, InferCreationAttributes<BackendModel>> {
  declare id: string;
  declare title: string;
  declare address: string;
  declare username: string;
  /** The password, sealed. */
  declare secret: Buffer;
  declare reachable: CreationOptional<boolean>;
  declare healthy: CreationOptional<boolean>;
  declare problem: BackendRow['problem'];
  declare checkedAt: Date | null;
  declare sites: CreationOptional<string[]>;
  declare trust: CreationOptional<Trust>;
  /** Raw bytes over all its pools (a licence, a contract). */
  declare cap: number | null;
  declare ways: CreationOptional<Pick<BackendWays, 'paths' | 'clients'>>;
  declare version: CreationOptional<number>;
  /** Counts what changed of its nodes, disks and volumes: as long as it stands, so does what was told of them. */
  declare inventoryVersion: CreationOptional<number>;
  /** What it says it is, whatever its address. */
  declare identity: string | null;
}

export const registered = table('backends', BackendModel, {
  id: { type: DataTypes.TEXT, primaryKey: true },
  title: { type: DataTypes.TEXT, allowNull: false },
  address: { type: DataTypes.TEXT, allowNull: false },
  username: { type: DataTypes.TEXT, allowNull: false },
  secret: { type: DataTypes.BLOB, allowNull: false },
  reachable: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  healthy: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  problem: { type: DataTypes.JSONB },
  checkedAt: { type: DataTypes.DATE },
  sites: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false, defaultValue: [] },
  trust: { type: DataTypes.JSONB, allowNull: false, defaultValue: { kind: 'system' } },
  cap: { type: DataTypes.BIGINT },
  ways: { type: DataTypes.JSONB, allowNull: false, defaultValue: { paths: [] } },
  version: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
  inventoryVersion: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  identity: { type: DataTypes.TEXT },
});
