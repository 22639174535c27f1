import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Whom a persistent volume names. */
export interface ClaimRef {
  readonly namespace?: string;
  readonly name?: string;
  readonly uid?: string;
}

/** A volume on its way to a claim; its state is its operation's. */
export class StoredSalvage extends Model<InferAttributes<StoredSalvage>, InferCreationAttributes<StoredSalvage>> {
  declare operationId: string;
  /** What the volume was reserved by before. */
  declare source: string;
  declare namespace: string;
  declare name: string;
  declare className: string;
  declare modes: AccessMode[];
  declare volumeMode: VolumeMode;
  declare person: string;
  declare claimUid: CreationOptional<string | null>;
  /** The claim was made for this, and goes when it is called off. */
  declare claimMade: CreationOptional<boolean>;
  declare claimRef: CreationOptional<ClaimRef | null>;
  /** The persistent volume was written for this, and goes when it is called off. */
  declare volumeWritten: CreationOptional<boolean>;
  declare madeAt: CreationOptional<Date>;
}

export const salvages = table('salvages', StoredSalvage, {
  operationId: { type: DataTypes.UUID, primaryKey: true },
  source: { type: DataTypes.TEXT, allowNull: false },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  modes: { type: DataTypes.JSONB, allowNull: false },
  volumeMode: { type: DataTypes.TEXT, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  claimUid: { type: DataTypes.TEXT },
  claimMade: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  claimRef: { type: DataTypes.JSONB },
  volumeWritten: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  madeAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
