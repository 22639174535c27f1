import type { FindingRow } from '@moorage/contract/findings';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What needs a person. */
class FindingModel extends Model<InferAttributes<FindingModel>, InferCreationAttributes<FindingModel>> {
  declare id: string;
  declare kind: FindingRow['kind'];
  declare subject: string;
  declare weight: number;
  declare facts: FindingRow['facts'];
  declare since: CreationOptional<Date>;
}

export const findings = table('findings', FindingModel, {
  id: { type: DataTypes.TEXT, primaryKey: true },
  kind: { type: DataTypes.TEXT, allowNull: false },
  subject: { type: DataTypes.TEXT, allowNull: false },
  weight: { type: DataTypes.DOUBLE, allowNull: false },
  facts: { type: DataTypes.JSONB, allowNull: false },
  since: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});

/** A finding that somebody set aside until a date. */
class AsideModel extends Model<InferAttributes<AsideModel>, InferCreationAttributes<AsideModel>> {
  declare id: string;
  declare reason: string;
  /** A day, as YYYY-MM-DD. */
  declare until: string;
  declare person: string;
  declare at: CreationOptional<Date>;
}

export const asides = table('findings_aside', AsideModel, {
  id: { type: DataTypes.TEXT, primaryKey: true },
  reason: { type: DataTypes.TEXT, allowNull: false },
  until: { type: DataTypes.DATEONLY, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
