/** A column of cells. */
export interface GridColumn {
  key: string;
  label: string;
  /** Numbers stand at the end of their cells. */
  numeric?: boolean;
  /** What stands small beside the label: "required". */
  note?: string;
  /** How the lines are sorted by it; they cannot be where it is left out. */
  sorted?: 'ascending' | 'descending' | 'none';
  lit?: boolean;
  /** In pixels, where it was set. */
  width?: number | null;
}

/** How a cell stands now. */
export interface CellLook {
  /** What stands in it, as text. */
  text: string;
  /** How it is called, for whoever does not see it. */
  name: string;
  /** Nobody can write into it. */
  closed?: boolean;
  /** What is wrong with it. */
  bad?: string | null;
  /** Its value is still being worked out. */
  unsure?: boolean;
  mark?: { tone: string; word: string } | null;
  /** A text that reads like a link: a record that is chosen. */
  refers?: boolean;
  tone?: string | null;
}

/** A block of cells, by the places of its rows and columns, ends included. */
export interface Block {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

/** A part of every line besides its cells. */
export interface GridExtra {
  key: string;
  label: string;
  /** The label is for those who do not see the column only. */
  silent?: boolean;
  numeric?: boolean;
}
