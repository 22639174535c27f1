import type { DecisionRow } from '@moorage/contract/claims';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What was decided for a claim and why; kept for good, also after the claim is gone. */
class DecisionModel extends Model<InferAttributes<DecisionModel>, InferCreationAttributes<DecisionModel>> {
  declare id: CreationOptional<number>;
  declare claimUid: string;
  declare madeAt: CreationOptional<Date>;
  declare tookMicros: number;
  declare winner: string | null;
  declare trace: DecisionRow['trace'];
  declare remedies: DecisionRow['remedies'];
}

export const decisions = table('decisions', DecisionModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  madeAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  tookMicros: { type: DataTypes.DOUBLE, allowNull: false },
  winner: { type: DataTypes.TEXT },
  trace: { type: DataTypes.JSONB, allowNull: false },
  remedies: { type: DataTypes.JSONB, allowNull: false },
});
