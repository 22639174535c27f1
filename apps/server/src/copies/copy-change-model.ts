import type { CopyChange } from '@moorage/contract/copies';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Copies of a volume, and raw bytes, operations and bytes a second that it holds of its pool with them. */
export interface Holding {
  readonly copies: number;
  readonly raw: number;
  readonly backendIops: number;
  readonly backendThroughput: number;
}

/** What was decided: the copy that is made or goes, how many there are and what is held, before and after. */
export interface CopyTarget {
  readonly copy: { readonly disk: string; readonly node: string; readonly domain: string };
  readonly before: Holding;
  readonly after: Holding;
}

/** One copy more or fewer; its state is its operation's. */
export class CopyChangeModel extends Model<InferAttributes<CopyChangeModel>, InferCreationAttributes<CopyChangeModel>> {
  declare operationId: string;
  declare claimUid: string;
  declare change: CopyChange;
  /** Set with what is reserved for it. */
  declare target: CreationOptional<CopyTarget | null>;
  /** What stood in the claim before; set before it is changed. */
  declare annotation: CreationOptional<{ readonly before: string | null } | null>;
}

export const copyChanges = table('copy_changes', CopyChangeModel, {
  operationId: { type: DataTypes.UUID, primaryKey: true },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  change: { type: DataTypes.JSONB, allowNull: false },
  target: { type: DataTypes.JSONB },
  annotation: { type: DataTypes.JSONB },
});
