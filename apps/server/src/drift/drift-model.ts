import type { Drift } from '@moorage/core/drift/drift';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What is declared of a claim's volume and is otherwise in one of its worlds. */
class DriftModel extends Model<InferAttributes<DriftModel>, InferCreationAttributes<DriftModel>> {
  declare claimUid: string;
  declare kind: Drift['kind'];
  declare namespace: string;
  declare declared: Drift['declared'];
  declare actual: Drift['actual'];
  declare madeBy: Drift['by'];
  declare remedy: Drift['remedy'];
  declare since: CreationOptional<Date>;
  /** Who asked that it is put right. */
  declare askedBy: CreationOptional<string | null>;
}

export const drifts = table('drifts', DriftModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  kind: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  declared: { type: DataTypes.JSONB, allowNull: false },
  actual: { type: DataTypes.JSONB, allowNull: false },
  madeBy: { type: DataTypes.TEXT, allowNull: false },
  remedy: { type: DataTypes.TEXT },
  since: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  askedBy: { type: DataTypes.TEXT },
});
