import type { WasteKind, WasteRow } from '@moorage/contract/waste';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What could be had back. */
class WasteModel extends Model<InferAttributes<WasteModel>, InferCreationAttributes<WasteModel>> {
  declare kind: WasteKind;
  declare subject: string;
  declare namespace: CreationOptional<string>;
  declare name: string;
  declare className: string;
  declare poolId: CreationOptional<string>;
  declare since: Date;
  declare bytes: number;
  declare rawBytes: number;
  /** Millionths of the currency, a month. */
  declare costMicros: number;
  declare savedMicros: number;
  declare facts: WasteRow['facts'];
  declare reckonedAt: Date;
}

export const waste = table('waste', WasteModel, {
  kind: { type: DataTypes.TEXT, primaryKey: true },
  subject: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  name: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  poolId: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  since: { type: DataTypes.DATE, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false },
  costMicros: { type: DataTypes.BIGINT, allowNull: false },
  savedMicros: { type: DataTypes.BIGINT, allowNull: false },
  facts: { type: DataTypes.JSONB, allowNull: false, defaultValue: {} },
  reckonedAt: { type: DataTypes.DATE, allowNull: false },
});

/** When a pod was last seen to mount a claim. */
class ClaimMountModel extends Model<InferAttributes<ClaimMountModel>, InferCreationAttributes<ClaimMountModel>> {
  declare claimUid: string;
  declare lastAt: Date;
}

/** Written by the statements that look. @public every table has its model */
export const claimMounts = table('claim_mounts', ClaimMountModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  lastAt: { type: DataTypes.DATE, allowNull: false },
});
