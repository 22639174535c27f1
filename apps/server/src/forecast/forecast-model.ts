import type { AskedChange, RunwayEnd, RunwayKind, Wish } from '@moorage/contract/forecast';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** When what is used comes to its end, as it was reckoned last. */
class RunwayModel extends Model<InferAttributes<RunwayModel>, InferCreationAttributes<RunwayModel>> {
  declare kind: RunwayKind;
  declare name: string;
  /** Empty where it is of no class. */
  declare className: string;
  declare against: RunwayEnd;
  declare used: number;
  declare endsAt: number;
  declare perDay: number | null;
  /** Null where too little is known. */
  declare state: 'over' | 'meets' | 'none' | null;
  declare meetsAt: Date | null;
  declare fromAt: Date | null;
  declare toAt: Date | null;
  declare reckonedAt: Date;
}

export const runways = table('runways', RunwayModel, {
  kind: { type: DataTypes.TEXT, primaryKey: true },
  name: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true, defaultValue: '' },
  against: { type: DataTypes.TEXT, primaryKey: true },
  used: { type: DataTypes.DOUBLE, allowNull: false },
  endsAt: { type: DataTypes.DOUBLE, allowNull: false },
  perDay: { type: DataTypes.DOUBLE },
  state: { type: DataTypes.TEXT },
  meetsAt: { type: DataTypes.DATE },
  fromAt: { type: DataTypes.DATE },
  toAt: { type: DataTypes.DATE },
  reckonedAt: { type: DataTypes.DATE, allowNull: false },
});
export type Runway = InferAttributes<RunwayModel>;

/** What changed unlike the days before it. */
class JumpModel extends Model<InferAttributes<JumpModel>, InferCreationAttributes<JumpModel>> {
  declare kind: 'written' | 'price';
  declare namespace: string;
  /** Bytes of a day, or the price of a month; and what it was before. */
  declare change: number;
  declare usual: number;
  declare reckonedAt: Date;
}

export const jumps = table('jumps', JumpModel, {
  kind: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  change: { type: DataTypes.DOUBLE, allowNull: false },
  usual: { type: DataTypes.DOUBLE, allowNull: false },
  reckonedAt: { type: DataTypes.DATE, allowNull: false },
});

/** What somebody wants to try on the numbers of the day. */
class ScenarioModel extends Model<InferAttributes<ScenarioModel>, InferCreationAttributes<ScenarioModel>> {
  declare name: string;
  declare changes: AskedChange[];
  declare wish: Wish;
  declare person: string;
  declare at: CreationOptional<Date>;
  declare version: CreationOptional<number>;
}

export const scenarios = table('scenarios', ScenarioModel, {
  name: { type: DataTypes.TEXT, primaryKey: true },
  changes: { type: DataTypes.JSONB, allowNull: false },
  wish: { type: DataTypes.JSONB, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  version: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
});
