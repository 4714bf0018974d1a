//! An R-tree that is written whole: rectangles in the order of a space-filling curve, packed into nodes from the bottom up.
//!
//! What the nodes look like is documented by SQLite (The SQLite R*Tree Module, 5.2 "Shadow Tables"): a table of nodes by their
//! numbers, the root the first; a node is two bytes with the height of the tree (in the root), two with the number of its cells,
//! and the cells, each a number of eight bytes and its bounds as four-byte floats, most significant bytes first.

use super::blob::{self, Blob};
use super::reader::quoted;
use basilocus_table::geometry::hilbert;
use rusqlite::functions::FunctionFlags;
use rusqlite::{Connection, Statement, params};

/// Bytes in front of the cells of a node.
const HEAD: usize = 4;
/// Bytes of a cell: a number and four bounds.
const CELL: usize = 24;
/// The node that a tree begins with.
const ROOT: i64 = 1;
/// What an entry is called in SQL while it is sorted.
const ENTRY: &str = "packed_index_entry";

/// West, east, south, north, as the index has them.
type Bounds = [f32; 4];

/// A rectangle and the row or node that it is of.
#[derive(Debug, Clone, Copy)]
struct Cell {
    number: i64,
    bounds: Bounds,
}

impl Cell {
    /// Of a geometry, its bounds rounded outwards.
    fn around(number: i64, [west, south, east, north]: [f64; 4]) -> Self {
        let down = |v: f64| if f64::from(v as f32) > v { (v as f32).next_down() } else { v as f32 };
        let up = |v: f64| if f64::from(v as f32) < v { (v as f32).next_up() } else { v as f32 };
        Cell { number, bounds: [down(west), up(east), down(south), up(north)] }
    }

    fn push(&self, out: &mut Vec<u8>) {
        out.extend(self.number.to_be_bytes());
        self.bounds.iter().for_each(|v| out.extend(v.to_be_bytes()));
    }

    fn read(bytes: &[u8]) -> Option<Self> {
        let (number, rest) = bytes.split_first_chunk::<8>()?;
        let (values, _) = rest.as_chunks::<4>();
        let bounds = std::array::from_fn(|i| values.get(i).map_or(f32::NAN, |v| f32::from_be_bytes(*v)));
        Some(Cell { number: i64::from_be_bytes(*number), bounds })
    }
}

/// An entry as it is sorted: its place on the curve, then its cell.
fn entry(id: i64, bounds: [f64; 4], extent: [f64; 4]) -> Vec<u8> {
    let [west, south, east, north] = extent;
    let size = (east - west).max(north - south);
    let step =
        |middle: f64, from: f64| if size > 0.0 { ((middle - from) / size * f64::from(u32::MAX)) as u32 } else { 0 };
    let (x, y) = ((bounds[0] + bounds[2]) / 2.0, (bounds[1] + bounds[3]) / 2.0);
    let mut out = Vec::with_capacity(8 + CELL);
    out.extend(hilbert::place(step(x, west), step(y, south)).to_be_bytes());
    Cell::around(id, bounds).push(&mut out);
    out
}

/// Fills an index that was just made with all rows of a table whose geometries lie in an extent.
pub(super) fn fill(
    connection: &Connection,
    table: &str,
    (key, column): (&str, &str),
    index: &str,
    extent: [f64; 4],
) -> rusqlite::Result<()> {
    let flags = FunctionFlags::SQLITE_UTF8 | FunctionFlags::SQLITE_DETERMINISTIC;
    connection.create_scalar_function(ENTRY, 2, flags, move |call| {
        let bytes = call.get_raw(1).as_blob_or_null()?.unwrap_or_default();
        let id = call.get(0)?;
        Ok(match blob::read(bytes) {
            Ok(Blob::Geometry(geometry)) => geometry.bounds().map(|b| entry(id, b, extent)),
            _ => None,
        })
    })?;
    let outcome = pack(connection, table, (key, column), index);
    connection.remove_function(ENTRY, 2)?;
    outcome
}

fn pack(connection: &Connection, table: &str, (key, column): (&str, &str), index: &str) -> rusqlite::Result<()> {
    // The database sorts, in files where there are many.
    let mut sorted = connection.prepare(&format!(
        "SELECT entry FROM (SELECT {ENTRY}({key}, {column}) AS entry FROM {} WHERE {column} IS NOT NULL) WHERE entry IS NOT NULL ORDER BY entry",
        quoted(table),
        key = quoted(key),
        column = quoted(column),
    ))?;
    let mut tree = Tree::of(connection, index)?;
    let mut rows = sorted.query([])?;
    while let Some(row) = rows.next()? {
        let bytes = row.get_ref(0)?.as_blob()?;
        if let Some(cell) = bytes.get(8..).and_then(Cell::read) {
            tree.add(0, cell)?;
        }
    }
    tree.finish()
}

/// A node that is being filled.
struct Node {
    number: i64,
    cells: Vec<Cell>,
}

impl Node {
    fn bounds(&self) -> Bounds {
        let joined = |a: Bounds, b: Bounds| [a[0].min(b[0]), a[1].max(b[1]), a[2].min(b[2]), a[3].max(b[3])];
        self.cells.iter().map(|c| c.bounds).reduce(joined).unwrap_or_default()
    }
}

/// The tables of an index that is being written.
struct Tree<'a> {
    connection: &'a Connection,
    index: String,
    /// Bytes of a node, and how many cells it holds.
    size: usize,
    most: usize,
    /// The open node of each level, the leaves first.
    levels: Vec<Node>,
    next_number: i64,
    insert_node: Statement<'a>,
    insert_row: Statement<'a>,
    insert_parent: Statement<'a>,
}

impl<'a> Tree<'a> {
    fn of(connection: &'a Connection, index: &str) -> rusqlite::Result<Self> {
        let part = |name: &str| quoted(&format!("{index}_{name}"));
        // The database has chosen the size of nodes when it made the empty root.
        let length = format!("SELECT length(data) FROM {} WHERE nodeno = {ROOT}", part("node"));
        let size = connection.query_row(&length, [], |r| r.get::<_, i64>(0))? as usize;
        Ok(Tree {
            connection,
            index: index.to_string(),
            size,
            most: (size.saturating_sub(HEAD) / CELL).max(2),
            levels: Vec::new(),
            next_number: ROOT + 1,
            insert_node: connection.prepare(&format!("INSERT OR REPLACE INTO {} VALUES (?1, ?2)", part("node")))?,
            insert_row: connection
                .prepare(&format!("INSERT INTO {} (rowid, nodeno) VALUES (?1, ?2)", part("rowid")))?,
            insert_parent: connection.prepare(&format!("INSERT INTO {} VALUES (?1, ?2)", part("parent")))?,
        })
    }

    fn open_node(&mut self) -> Node {
        self.next_number += 1;
        Node { number: self.next_number - 1, cells: Vec::with_capacity(self.most) }
    }

    /// Adds a cell to the open node of a level.
    fn add(&mut self, level: usize, cell: Cell) -> rusqlite::Result<()> {
        if level == self.levels.len() {
            let node = self.open_node();
            self.levels.push(node);
        }
        if self.levels[level].cells.len() == self.most {
            self.close(level)?;
        }
        let parent = self.levels[level].number;
        let insert = if level == 0 { &mut self.insert_row } else { &mut self.insert_parent };
        insert.execute(params![cell.number, parent])?;
        self.levels[level].cells.push(cell);
        Ok(())
    }

    /// Writes the open node of a level, makes it a cell of the level above, and opens another.
    fn close(&mut self, level: usize) -> rusqlite::Result<()> {
        let next = self.open_node();
        let node = std::mem::replace(&mut self.levels[level], next);
        self.write(node.number, 0, &node.cells)?;
        self.add(level + 1, Cell { number: node.number, bounds: node.bounds() })
    }

    fn write(&mut self, number: i64, height: u16, cells: &[Cell]) -> rusqlite::Result<()> {
        let mut data = Vec::with_capacity(self.size);
        data.extend(height.to_be_bytes());
        data.extend((cells.len() as u16).to_be_bytes());
        cells.iter().for_each(|cell| cell.push(&mut data));
        data.resize(self.size, 0);
        self.insert_node.execute(params![number, data])?;
        Ok(())
    }

    /// Closes all levels; the only node of the highest one is the root.
    fn finish(mut self) -> rusqlite::Result<()> {
        let mut level = 0;
        while level + 1 < self.levels.len() {
            self.close(level)?;
            level += 1;
        }
        let Some(root) = self.levels.pop() else { return Ok(()) };
        self.write(ROOT, level as u16, &root.cells)?;
        // Its cells were told another number while nobody knew that it would be the root.
        let (part, kind) = if level == 0 { ("rowid", "nodeno") } else { ("parent", "parentnode") };
        let part = quoted(&format!("{}_{part}", self.index));
        let key = if level == 0 { "rowid" } else { "nodeno" };
        let mut update = self.connection.prepare(&format!("UPDATE {part} SET {kind} = {ROOT} WHERE {key} = ?1"))?;
        for cell in &root.cells {
            update.execute([cell.number])?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::{Geometry, Position, wkb};
    use proptest::prelude::*;

    /// A table of rectangles with an index by us, and one to which the database added them one by one.
    fn both(rectangles: &[[f64; 4]]) -> Connection {
        let c = Connection::open_in_memory().unwrap();
        c.execute_batch(
            "CREATE TABLE t (k INTEGER PRIMARY KEY, g BLOB);
             CREATE VIRTUAL TABLE packed USING rtree(id, minx, maxx, miny, maxy);
             CREATE VIRTUAL TABLE plain USING rtree(id, minx, maxx, miny, maxy);
             INSERT INTO t VALUES (0, NULL);",
        )
        .unwrap();
        let mut extent = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
        for (i, [w, s, e, n]) in rectangles.iter().copied().enumerate() {
            let id = i as i64 * 3 + 1;
            let line = Geometry::LineString(vec![Position::xy(w, s), Position::xy(e, n)]);
            let bytes = blob::write(4326, line.bounds(), &wkb::write(&line));
            c.execute("INSERT INTO t VALUES (?1, ?2)", params![id, bytes]).unwrap();
            c.execute("INSERT INTO plain VALUES (?1, ?2, ?3, ?4, ?5)", params![id, w, e, s, n]).unwrap();
            extent = [extent[0].min(w), extent[1].min(s), extent[2].max(e), extent[3].max(n)];
        }
        fill(&c, "t", ("k", "g"), "packed", extent).unwrap();
        c
    }

    fn ids(c: &Connection, index: &str, [w, s, e, n]: [f64; 4]) -> Vec<i64> {
        let sql =
            format!("SELECT id FROM {index} WHERE minx <= ?3 AND maxx >= ?1 AND miny <= ?4 AND maxy >= ?2 ORDER BY id");
        let mut statement = c.prepare(&sql).unwrap();
        statement.query_map(params![w, s, e, n], |r| r.get(0)).unwrap().map(Result::unwrap).collect()
    }

    fn checked(c: &Connection) -> String {
        c.query_row("SELECT rtreecheck('main', 'packed')", [], |r| r.get(0)).unwrap()
    }

    #[test]
    fn trees_of_all_heights_are_what_the_database_expects() {
        // A node holds 51 cells: one, two and three levels, full and nearly empty.
        for count in [0, 1, 51, 52, 51 * 51, 51 * 51 + 1, 6000] {
            let rectangle = |i: usize| {
                let (x, y) = ((i * 7919 % 1009) as f64 * 0.01 - 124.0, (i * 104_729 % 997) as f64 * 0.01 + 42.0);
                [x, y, x + 0.004, y + 0.003]
            };
            let c = both(&(0..count).map(rectangle).collect::<Vec<_>>());
            assert_eq!(checked(&c), "ok", "{count}");
            assert_eq!(ids(&c, "packed", [-180.0, -90.0, 180.0, 90.0]).len(), count);
            for around in [[-123.0, 43.0, -122.5, 44.0], [-124.0, 42.0, -124.0, 42.0], [0.0, 0.0, 1.0, 1.0]] {
                assert_eq!(ids(&c, "packed", around), ids(&c, "plain", around), "{count} {around:?}");
            }
            // What comes later finds its place.
            c.execute("INSERT INTO packed VALUES (1000000, 5, 6, 5, 6)", []).unwrap();
            c.execute("DELETE FROM packed WHERE id = 1", []).unwrap();
            assert_eq!(checked(&c), "ok", "{count}");
            assert_eq!(ids(&c, "packed", [5.5, 5.5, 5.5, 5.5]), [1_000_000]);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(32), ..Default::default() })]

        #[test]
        fn what_is_asked_for_is_found(
            rectangles in prop::collection::vec((-180.0f64..180.0, -90.0f64..90.0, 0.0f64..9.0, 0.0f64..9.0), 0..160),
            around in (-180.0f64..180.0, -90.0f64..90.0, 0.0f64..90.0, 0.0f64..45.0),
        ) {
            let list: Vec<[f64; 4]> = rectangles.iter().map(|(x, y, w, h)| [*x, *y, x + w, y + h]).collect();
            let c = both(&list);
            let (x, y, w, h) = around;
            prop_assert_eq!(checked(&c), "ok");
            let found = ids(&c, "packed", [x, y, x + w, y + h]);
            prop_assert_eq!(&found, &ids(&c, "plain", [x, y, x + w, y + h]));
        }
    }
}
