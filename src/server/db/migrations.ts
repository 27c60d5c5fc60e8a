/** The tables, step by step. A step that has been released is never changed. */
import type { Knex } from 'knex';
import { packFrames } from '../../core/bake/frame-codec';
import { STRAND_NUMBERS } from '../../core/proof/strand-meter';
import { getBlob, putBlob } from './blobs';

interface Migration { name: string; up: (db: Knex) => Promise<void>; down: (db: Knex) => Promise<void> }

const ID = 16;
/** For tests of a step by itself. */
export const MIGRATIONS: Migration[] = [
  {
    name: '001-spine',
    up: async (db) => {
      await db.schema.createTable('chunks', (t) => {
        t.specificType('id', 'char(64) character set ascii').primary();
        t.specificType('bytes', 'mediumblob').notNullable();
      });
      await db.schema.createTable('blobs', (t) => {
        t.specificType('id', 'char(64) character set ascii').primary();
        t.bigInteger('size').unsigned().notNullable();
      });
      await db.schema.createTable('blob_chunks', (t) => {
        t.specificType('blob_id', 'char(64) character set ascii').notNullable().references('blobs.id').onDelete('cascade');
        t.integer('seq').unsigned().notNullable();
        t.specificType('chunk_id', 'char(64) character set ascii').notNullable().references('chunks.id');
        t.primary(['blob_id', 'seq']);
      });
      await db.schema.createTable('productions', (t) => {
        t.string('id', ID).primary();
        t.string('name', 200).notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
      });
      await db.schema.createTable('assets', (t) => {
        t.string('id', ID).primary();
        t.string('production_id', ID).notNullable().references('productions.id');
        t.string('name', 200).notNullable();
        t.string('file_name', 300).notNullable();
        t.specificType('source_blob', 'char(64) character set ascii').notNullable().references('blobs.id');
        t.specificType('packed_blob', 'char(64) character set ascii').notNullable().references('blobs.id');
        t.text('warnings', 'longtext').notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
      });
      await db.schema.createTable('grooms', (t) => {
        t.string('id', ID).primary();
        t.string('asset_id', ID).notNullable().references('assets.id');
        t.string('name', 200).notNullable();
        t.integer('version').unsigned().notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
        t.datetime('updated_at', { precision: 3 }).notNullable();
      });
      await db.schema.createTable('groom_versions', (t) => {
        t.string('groom_id', ID).notNullable().references('grooms.id');
        t.integer('version').unsigned().notNullable();
        t.string('label', 300).notNullable();
        t.text('document', 'longtext').notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
        t.primary(['groom_id', 'version']);
      });
      await db.schema.createTable('takes', (t) => {
        t.string('id', ID).primary();
        t.string('groom_id', ID).notNullable().references('grooms.id');
        t.specificType('motion_key', 'char(64) character set ascii').notNullable();
        t.text('proof', 'longtext').notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
        t.index(['groom_id', 'created_at']);
      });
      await db.schema.createTable('bakes', (t) => {
        t.string('id', ID).primary();
        t.string('groom_id', ID).notNullable().references('grooms.id');
        t.specificType('motion_key', 'char(64) character set ascii').notNullable();
        t.text('document', 'longtext').notNullable();
        t.integer('start_frame').notNullable();
        t.integer('end_frame').notNullable();
        t.integer('pre_roll').unsigned().notNullable();
        t.enum('state', ['queued', 'running', 'done', 'failed', 'cancelled']).notNullable();
        t.integer('steps_done').unsigned().notNullable().defaultTo(0);
        t.text('message').nullable();
        t.text('report', 'longtext').nullable();
        t.boolean('cancel_wanted').notNullable().defaultTo(false);
        t.integer('attempts').unsigned().notNullable().defaultTo(0);
        t.string('lease_owner', 64).nullable();
        t.datetime('lease_until', { precision: 3 }).nullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
        t.datetime('started_at', { precision: 3 }).nullable();
        t.datetime('finished_at', { precision: 3 }).nullable();
        t.index(['state', 'created_at']);
        t.index(['groom_id', 'created_at']);
      });
      await db.schema.createTable('bake_frames', (t) => {
        t.string('bake_id', ID).notNullable().references('bakes.id').onDelete('cascade');
        t.integer('frame').notNullable();
        t.specificType('blob_id', 'char(64) character set ascii').notNullable().references('blobs.id');
        t.text('measures').notNullable();
        t.primary(['bake_id', 'frame']);
      });
    },
    down: async (db) => {
      for (const table of ['bake_frames', 'bakes', 'takes', 'groom_versions', 'grooms', 'assets', 'productions', 'blob_chunks', 'blobs', 'chunks']) await db.schema.dropTableIfExists(table);
    },
  },
  {
    name: '002-import-choices',
    up: async (db) => {
      await db.schema.alterTable('assets', (t) => {
        t.string('source', 200).notNullable().defaultTo('');
        t.text('choices', 'longtext').nullable();
        t.index(['source', 'created_at']);
      });
    },
    down: async (db) => { await db.schema.alterTable('assets', (t) => { t.dropIndex(['source', 'created_at']); t.dropColumns('source', 'choices'); }); },
  },
  {
    name: '003-versions',
    up: async (db) => {
      await db.schema.alterTable('assets', (t) => {
        // the version it was made from, and what is new about it
        t.string('follows', ID).nullable().references('assets.id');
        t.string('note', 300).notNullable().defaultTo('');
      });
      await db.schema.alterTable('bakes', (t) => { t.string('asset_id', ID).nullable().references('assets.id'); });
      await db.raw('update bakes join grooms on grooms.id = bakes.groom_id set bakes.asset_id = grooms.asset_id');
    },
    down: async (db) => {
      await db.schema.alterTable('bakes', (t) => { t.dropForeign('asset_id'); t.dropColumn('asset_id'); });
      await db.schema.alterTable('assets', (t) => { t.dropForeign('follows'); t.dropColumns('follows', 'note'); });
    },
  },
  {
    name: '004-takes',
    up: async (db) => {
      await db.schema.alterTable('takes', (t) => {
        t.string('name', 120).notNullable().defaultTo('');
        t.string('shot_name', 60).notNullable().defaultTo('');
        t.text('settings', 'longtext').nullable();
        t.specificType('frames_blob', 'char(64) character set ascii').nullable().references('blobs.id');
        t.specificType('strip_blob', 'char(64) character set ascii').nullable().references('blobs.id');
        t.bigInteger('bytes').unsigned().notNullable().defaultTo(0);
        t.boolean('pinned').notNullable().defaultTo(false);
      });
      // limits that a show has otherwise than usual
      await db.schema.alterTable('productions', (t) => { t.text('limits').nullable(); });
    },
    down: async (db) => {
      await db.schema.alterTable('productions', (t) => { t.dropColumn('limits'); });
      await db.schema.alterTable('takes', (t) => { t.dropForeign('frames_blob'); t.dropForeign('strip_blob'); t.dropColumns('name', 'shot_name', 'settings', 'frames_blob', 'strip_blob', 'bytes', 'pinned'); });
    },
  },
  {
    name: '005-bakes',
    up: async (db) => {
      await db.schema.alterTable('bakes', (t) => {
        t.integer('priority').notNullable().defaultTo(0);
        t.boolean('pause_wanted').notNullable().defaultTo(false);
        // what a bake goes on from after it was broken off
        t.specificType('state_blob', 'char(64) character set ascii').nullable().references('blobs.id');
        t.integer('steps').unsigned().notNullable().defaultTo(0);
        t.text('loop_report', 'longtext').nullable();
        t.integer('solver').unsigned().notNullable().defaultTo(0);
        t.bigInteger('bytes').unsigned().notNullable().defaultTo(0);
      });
      await db.raw("alter table bakes modify state enum('queued','running','done','failed','cancelled','paused') not null");
      await db.raw('update bakes set steps = pre_roll + end_frame - start_frame + 1');
      await db.schema.createTable('bake_chunks', (t) => {
        t.string('bake_id', ID).notNullable().references('bakes.id').onDelete('cascade');
        // samples of rounds of a loop that may become the one that is kept
        t.boolean('draft').notNullable();
        t.integer('first').notNullable();
        t.integer('count').unsigned().notNullable();
        t.specificType('blob_id', 'char(64) character set ascii').notNullable().references('blobs.id');
        t.text('measures', 'longtext').notNullable();
        t.primary(['bake_id', 'draft', 'first']);
      });
      await chunksOfFrames(db);
      await db.schema.dropTable('bake_frames');
      await db.schema.createTable('receivers', (t) => {
        t.string('id', ID).primary();
        t.string('name', 120).notNullable();
        t.text('settings', 'longtext').notNullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
      });
      await db.schema.createTable('exports', (t) => {
        t.string('id', ID).primary();
        t.string('bake_id', ID).notNullable().references('bakes.id').onDelete('cascade');
        t.text('options', 'longtext').notNullable();
        t.enum('state', ['queued', 'running', 'done', 'failed', 'cancelled', 'paused']).notNullable();
        t.integer('priority').notNullable().defaultTo(0);
        t.integer('steps_done').unsigned().notNullable().defaultTo(0);
        t.integer('steps').unsigned().notNullable().defaultTo(0);
        t.text('message').nullable();
        t.text('sheet', 'longtext').nullable();
        t.text('checked', 'longtext').nullable();
        t.specificType('strip_blob', 'char(64) character set ascii').nullable().references('blobs.id');
        t.boolean('cancel_wanted').notNullable().defaultTo(false);
        t.boolean('pause_wanted').notNullable().defaultTo(false);
        t.integer('attempts').unsigned().notNullable().defaultTo(0);
        t.string('lease_owner', 64).nullable();
        t.datetime('lease_until', { precision: 3 }).nullable();
        t.datetime('created_at', { precision: 3 }).notNullable();
        t.datetime('started_at', { precision: 3 }).nullable();
        t.datetime('finished_at', { precision: 3 }).nullable();
        t.index(['state', 'created_at']);
        t.index(['bake_id', 'created_at']);
      });
      await db.schema.createTable('export_files', (t) => {
        t.string('export_id', ID).notNullable().references('exports.id').onDelete('cascade');
        t.string('name', 200).notNullable();
        t.integer('place').unsigned().notNullable();
        t.bigInteger('size').unsigned().notNullable();
        t.specificType('blob_id', 'char(64) character set ascii').notNullable().references('blobs.id');
        t.primary(['export_id', 'name']);
      });
    },
    down: async (db) => {
      for (const table of ['export_files', 'exports', 'receivers', 'bake_chunks']) await db.schema.dropTableIfExists(table);
      await db.schema.createTable('bake_frames', (t) => { t.string('bake_id', ID).notNullable().references('bakes.id').onDelete('cascade'); t.integer('frame').notNullable(); t.specificType('blob_id', 'char(64) character set ascii').notNullable().references('blobs.id'); t.text('measures').notNullable(); t.primary(['bake_id', 'frame']); });
      await db.schema.alterTable('bakes', (t) => { t.dropForeign('state_blob'); t.dropColumns('priority', 'pause_wanted', 'state_blob', 'steps', 'loop_report', 'solver', 'bytes'); });
    },
  },
];

/** Frames that were stored one by one, as they were, as chunks. */
async function chunksOfFrames(db: Knex): Promise<void> {
  const bakes: { id: string; document: string }[] = await db('bakes').whereIn('id', db('bake_frames').distinct('bake_id')).select('id', 'document');
  for (const { id, document } of bakes) {
    const pointCount = (JSON.parse(document) as { guides?: { pointCount: number } | null }).guides?.pointCount;
    if (!pointCount) continue;
    const rows: { frame: number; blob_id: string; measures: string }[] = await db('bake_frames').where({ bake_id: id }).orderBy('frame');
    let bytes = 0;
    for (let k = 0; k < rows.length; k += 12) {
      const some = rows.slice(k, k + 12), frames = [];
      for (const r of some) {
        const stored = await getBlob(db, r.blob_id).catch(() => null), points = stored && new Float32Array(Uint8Array.from(stored).buffer);
        if (!points) break;
        frames.push({ points, strands: new Float32Array((STRAND_NUMBERS * points.length) / (3 * pointCount)) });
      }
      if (frames.length < some.length) continue;
      const packed = packFrames(frames, some[0].frame, pointCount, 0);
      bytes += packed.length;
      await db('bake_chunks').insert({ bake_id: id, draft: false, first: some[0].frame, count: some.length, blob_id: await putBlob(db, packed), measures: JSON.stringify(some.map((r) => JSON.parse(r.measures) as unknown)) });
    }
    await db('bakes').where({ id }).update({ bytes });
  }
}

export async function migrate(db: Knex): Promise<void> {
  await db.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(MIGRATIONS),
      getMigrationName: (m: Migration) => m.name,
      getMigration: (m: Migration) => Promise.resolve(m),
    },
  });
}
