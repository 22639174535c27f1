import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What a pool, a mooring or a class was like, and what failed, from when until when. */
class FactHeldModel extends Model<InferAttributes<FactHeldModel>, InferCreationAttributes<FactHeldModel>> {
  declare id: CreationOptional<number>;
  declare kind: 'pool' | 'mooring' | 'class' | 'failure';
  /** The pool's id, `class/pool`, the class, or the backend and what of it. */
  declare name: string;
  declare fact: object;
  declare fromAt: Date;
  /** Null while it holds. */
  declare untilAt: Date | null;
}

/** Written by the database's own triggers. @public every table has its model */
export const factsHeld = table('facts_held', FactHeldModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  kind: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  fact: { type: DataTypes.JSONB, allowNull: false },
  fromAt: { type: DataTypes.DATE, allowNull: false },
  untilAt: { type: DataTypes.DATE },
});
