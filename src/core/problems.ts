import { z } from 'zod';

/**
 * Every error that the product can show: a code, its sentence and, where there is something to do
 * about it, a hint. `{name}` is replaced by a detail given with the problem.
 */
const sentences = {
  // values
  required: ['{label} is missing.', 'Fill it in.'],
  not_text: ['{label} is not a text.', ''],
  too_long: ['{label} has {length} characters; at most {limit} fit.', 'Shorten it.'],
  not_email: ['“{given}” is not an e-mail address.', 'Write it like name@example.org.'],
  not_url: ['“{given}” is not a web address.', 'Write it like https://example.org/page.'],
  not_phone: ['“{given}” is not a phone number.', 'Use digits, spaces and + ( ) - / only.'],
  not_whole: ['“{given}” is not a whole number.', 'Use digits only.'],
  whole_too_large: ['“{given}” is larger than a whole number can be here.', ''],
  not_decimal: ['“{given}” is not a number.', 'Write it like 1250.50.'],
  too_many_places: ['“{given}” has more than {scale} decimal places.', 'Round it.'],
  too_many_digits: ['“{given}” has more than {digits} digits before the decimal point.', ''],
  not_yes_no: ['“{given}” is neither yes nor no.', 'Write yes or no.'],
  not_date: ['“{given}” is not a date.', 'Write it like 2027-03-01.'],
  not_duration: [
    '“{given}” is not a duration.',
    'Write hours and minutes: 1:30, 1 h 30 min or 90 min.',
  ],
  not_time: ['“{given}” is not a time of day.', 'Write it like 14:30.'],
  not_date_time: ['“{given}” is not a date with a time.', 'Write it like 2027-03-01 14:30.'],
  not_option: ['“{given}” is not one of the options of {label}.', 'Use: {options}.'],
  not_reference: ['“{given}” does not name a record.', ''],
  not_rows: ['{label}: “{given}” is not a list of rows.', ''],
  bad_row: ['{label}, row {row}:', ''],
  too_many_members: ['{label} holds at most {limit}.', 'Take some away, or use a table.'],
  // choices
  not_offered: ['{label}: {given} is not offered here.', 'Choose again from the list.'],
  body_slow: ['What you sent did not arrive in time.', 'Send it again.'],
  body_cut_off: ['What you sent was cut off on its way.', 'Send it again.'],
  file_cut_off: ['The file was cut off near line {line}.', 'Send it again.'],
  disk_full: [
    'There is no room left on the disk of the database; nothing was saved.',
    'What you typed stays here. Save again once there is room.',
  ],
  not_from_here: ['This was not sent from a page of Unisor.', ''],
  busy: ['Many people are writing the same records just now.', 'Try again in a moment.'],
  lease_held: ['Somebody else is {work} at the moment.', 'Try again in a moment.'],
  lease_lost: ['This took too long and was given up: somebody else is {work} now.', 'Try again.'],
  edition_closed: [
    'The form was published anew since you opened it.',
    'Copy what you typed, and open the link again.',
  ],
  rows_twice: ['{label}: a line was sent twice.', 'Open the record again.'],
  not_typed: ['{label} cannot be changed here; it is {now}.', 'Take the change back.'],
  not_shown: [
    '{label} is not shown any more as things are; “{given}” would be lost.',
    'Look at what it hangs on, or leave it empty.',
  ],
  choose_first: ['{label}: choose {first} first.', ''],
  result_misfit: ['{label}: “{given}” does not fit.', ''],
  value_changed: [
    '{label} is {now} now; it was {given} when you saw it.',
    'Look at it and save again.',
  ],
  check_failed: ['This does not hold.', ''],
  record_gone: ['{label}: the chosen record no longer exists.', 'Choose another one.'],
  unknown_match: ['No {table} has {column} “{given}”.', 'Add it there first, or correct it here.'],
  ambiguous_match: [
    'Several records of {table} have {column} “{given}”.',
    'Match by another column.',
  ],
  // records
  not_unique: ['{label} “{given}” is already taken.', 'It must be unique in {table}.'],
  not_unique_there: [
    '{label} “{given}” is in the table already.',
    'Leave the line out, or change the value.',
  ],
  twice_in_file: ['{label} “{given}” stands twice, first in line {line}.', 'It must be unique.'],
  in_use: ['This record is in use by {users}.', 'Change or remove those first.'],
  changed_meanwhile: [
    'This record was changed meanwhile by {by}.',
    'Look at the new values, then change it again.',
  ],
  deleted_meanwhile: [
    'This record of {table} was deleted meanwhile by {by}.',
    'What you typed is kept here; save it as a new one, or leave it.',
  ],
  rows_gone: [
    '{label}: this line is no longer part of the record.',
    'It was taken out meanwhile, or belongs to another record.',
  ],
  too_many_rows: [
    '{label} has more than {limit} records here, too many for a form.',
    'Change them in the table.',
  ],
  undo_too_late: [
    'This save cannot be undone: {what} was changed since.',
    'Change it by hand, or restore an earlier state.',
  ],
  nothing_to_undo: ['This save cannot be undone.', ''],
  unknown_record: ['There is no record {id} in {table}.', 'It may have been deleted.'],
  // tables
  unknown_table: ['There is no table “{table}”.', ''],
  unknown_column: ['{table} has no column “{column}”.', ''],
  table_exists: ['There is already a table with the key “{table}”.', 'Choose another name.'],
  column_twice: ['There are two columns with the key “{column}”.', 'Give one another name.'],
  column_reserved: ['The key “{column}” is kept for the house.', 'Choose another name.'],
  no_columns: ['A table needs at least one column.', 'Add one.'],
  too_many_columns: [
    '{count} columns; a table holds at most {limit}.',
    'Leave out the columns that nobody needs.',
  ],
  row_too_wide: [
    'The columns together are too wide for one record ({bytes} of {limit} bytes).',
    'Make some columns long text, or shorten them.',
  ],
  bad_display: ['Records of {table} are to be shown by “{column}”, which is no column of it.', ''],
  display_empty: ['No column says how a record of {table} is shown.', 'Choose one or several.'],
  reference_missing: ['{label} refers to “{table}”, which is not a table.', 'Choose a table.'],
  mirror_missing: [
    '{label} is to show the other side of “{column}” of {table}, which has no such references.',
    'Choose a column of several references.',
  ],
  link_name_long: [
    '{label} and its table have too long names for a table of links.',
    'Shorten it.',
  ],
  several_plain: ['{label} holds several values: it can be neither required nor unique.', ''],
  option_twice: ['{label} has the option “{given}” twice.', 'Remove one.'],
  option_retired: ['{label}: “{given}” is retired.', 'Choose another one.'],
  option_label_twice: ['{label} shows “{given}” twice.', 'Give one another label.'],
  option_of_missing: ['“{given}” belongs to “{of}”, which the other list does not have.', ''],
  draft_unwired: [
    '{title} cannot be worked out as it stands: {reason}.',
    'Undo the last change, or change what it names.',
  ],
  names_nothing: ['{label} names the {kind} “{name}”, which is not there.', 'Choose another one.'],
  list_missing: ['{label}: there is no option list “{list}”.', 'Choose another one.'],
  list_of_missing: ['There is no other list “{list}” to whose values these could belong.', ''],
  list_circle: ['The values of {list} belong to those of this list already.', ''],
  list_exists: ['There is already a list with the key “{list}”.', 'Choose another name.'],
  list_in_use: ['{list} is in use by {users}.', 'Change those first.'],
  list_changed: ['{list} was changed meanwhile by {by}.', 'Look at it as it is now.'],
  list_by_alone: [
    '{list} belongs to no other list, so that nothing can narrow it.',
    'Say on the list’s page to which value each of its values belongs.',
  ],
  values_in_list: [
    'The list {list} has the same values.',
    'Taken from the list, they are kept in one place.',
  ],
  values_twice: ['{field} offers the same typed values.', 'Make an option list of them.'],
  unknown_connection: ['There is no connection “{connection}”.', ''],
  unknown_query: ['There is no query “{query}”.', ''],
  connection_exists: [
    'There is already a connection with the key “{connection}”.',
    'Choose another name.',
  ],
  query_exists: ['There is already a query with the key “{query}”.', 'Choose another name.'],
  connection_in_use: ['{connection} is in use by {users}.', 'Change those first.'],
  query_in_use: ['{query} is in use by {users}.', 'Change those first.'],
  query_missing: ['There is no query “{query}”.', 'Choose another one.'],
  query_column_missing: ['{query} has no column “{column}”.', 'Choose another one.'],
  query_parameter_missing: ['{query} has no parameter “{parameter}”.', ''],
  parameter_twice: ['{query} has two parameters with the same key.', 'Give one another name.'],
  outside_column_twice: ['{query} has two columns with the same key.', 'Give one another name.'],
  parameter_missing: ['“{parameter}” is no parameter of the query.', 'Add it, or take it out.'],
  parameter_ungiven: [
    '{query} needs {parameter}, which no field gives.',
    'Say which field gives it.',
  ],
  parameter_types: ['{field} ({held}) cannot be given as {parameter}.', ''],
  parameter_bad: ['{parameter}: {reason}', ''],
  address_outside_base: [
    'An address stands below the base of its connection.',
    'Leave out the host: write /members/{code}.',
  ],
  address_too_long: [
    'The address that an outside system is told would have {length} characters; at most {limit} can be sent.',
    'Shorten what is typed here.',
  ],
  not_told: [
    '“{name}” is a list or a record, and cannot be sent.',
    'Send one value of it instead.',
  ],
  still_looked_up: [
    '“{given}” is still being looked up.',
    'Wait a moment, or choose from the list.',
  ],
  broken_text: ['{label} holds a character that is broken in two.', 'Type it again.'],
  select_only: ['Only a SELECT can be asked.', ''],
  outside_file_right: [
    'The user of {system} may read and write files of its machine; no statement is asked as such a user.',
    'Give the connection a user without the FILE right.',
  ],
  parameter_climbs: [
    'A value of nothing but dots cannot stand in an address.',
    'Give another value.',
  ],
  outside_host_refused: [
    '{host} is not among the hosts that may be asked.',
    'The keeper can allow it on the page Outside.',
  ],
  outside_away: ['{system} does not answer.', 'Go on; it is asked again when you wish.'],
  outside_slow: [
    '{system} took longer than {limit} ms.',
    'Go on; it is asked again when you wish.',
  ],
  outside_paused: [
    '{system} has failed several times and is not asked for {seconds} s.',
    'Go on; it is asked again by then.',
  ],
  outside_status: ['{system} answered with status {status}.', 'Go on, or ask again.'],
  outside_not_json: ['{system} answered with something that is no JSON.', 'Go on, or ask again.'],
  outside_too_large: ['{system} answered with more than {limit} MB.', 'Narrow the query down.'],
  outside_no_rows: ['The answer of {system} has nothing at “{place}”.', 'Look at the query.'],
  outside_refused: ['{system} refuses it: {reason}.', 'Go on; its keeper has to look at it.'],
  outside_unreadable: [
    '{system} gives values for {columns} that are not of its type.',
    'Go on; the query has to be looked at.',
  ],
  outside_takes_nothing: [
    '{system} does not take what is told in this way.',
    'An HTTP service takes POST, PUT and PATCH; a database takes a statement.',
  ],
  outside_read_only: [
    '{system} may only be read.',
    'Allow writing on the page of the connection, if that is meant.',
  ],
  writing_only: ['Only an INSERT, UPDATE or DELETE can be told to a database.', ''],
  next_page_missing: [
    'Where the answer says what the next page is asked for with is not told.',
    'Name its place in the answer.',
  ],
  send_system_missing: [
    '{system} cannot be told what this form sends.',
    'Choose another system, or allow it on the page of the connection.',
  ],
  send_value_missing: [
    'The address names “{name}”, for which there is no formula.',
    'Give it one.',
  ],
  through_unknown: ['{system} has no record for {parameter} “{given}”.', 'Look at what you typed.'],
  through_changed: ['Another person has changed it in {system} meanwhile.', 'Look at both sides.'],
  through_read_only: ['This form only shows the outside record.', ''],
  through_none: ['This form passes nothing through.', ''],
  through_saves: [
    '{label} saves to a column, but a form that passes through stores nothing here.',
    'Do not save it.',
  ],
  through_key_missing: ['{query} has no parameter “{parameter}” to be opened by.', ''],
  through_field_missing: ['What passes through names the field “{field}”, which is not there.', ''],
  invitation_bad: ['This link opens nothing.', 'Ask whoever sent it for another one.'],
  invitation_ended: ['This invitation has ended.', 'Ask whoever sent it for another one.'],
  invitation_used_up: ['This invitation was used as often as it could be.', 'Ask for another one.'],
  invitation_revoked: ['This invitation was taken back.', 'Ask whoever sent it.'],
  invitation_misfit: ['The invitation is for another record.', ''],
  invitation_effort: ['Open the link again: it waited too long.', ''],
  too_many_requests: ['There were too many requests.', 'Wait a minute, then try again.'],
  button_empty: ['The button {label} does nothing yet.', 'Give it a step.'],
  button_field_missing: [
    'The button {label} sets “{field}”, which is no field.',
    'Choose another one.',
  ],
  unknown_button: ['There is no button “{button}” now.', ''],
  secret_key_missing: [
    'Secrets cannot be kept: the server has no key for them.',
    'Start it with UNISOR_SECRET set.',
  ],
  unknown_list: ['There is no option list “{list}”.', ''],
  no_options: ['{label} has no options.', 'Give at least one.'],
  column_in_use: ['{label} is in use by {users}.', 'Change those first.'],
  option_in_use: ['The option “{given}” of {label} is in use by {users}.', 'Change those first.'],
  links_hold_name: [
    '{table} is linked with several references, whose tables carry its name.',
    'Remove those columns first.',
  ],
  last_column: ['{label} is the only column of {table}.', 'Remove the table.'],
  table_in_use: ['{table} is in use by {users}.', 'Change or remove those first.'],
  column_needs_value: [
    '{label} cannot be required yet: {table} already has records without it.',
    'Add it as not required, fill it in, then require it.',
  ],
  structure_failed: ['The table could not be changed: {reason}.', 'Nothing was changed.'],
  // files
  file_empty: ['The file is empty.', 'Choose a file with a line of column names.'],
  header_only: ['The file has column names, but no rows.', 'Add rows, or make the table by hand.'],
  header_twice: ['Two columns are named “{given}” (columns {first} and {second}).', 'Rename one.'],
  not_utf8: ['The file is not UTF-8 text (near line {line}).', 'Save it as UTF-8 and try again.'],
  bad_csv: ['Line {line} cannot be read: {reason}.', 'Check its quotes.'],
  ragged_row: [
    'The row has {cells} cells; the file has {columns} columns.',
    'Check its delimiters.',
  ],
  rows_rejected: [
    '{count} of the rows cannot be brought in.',
    'Mend them, or bring in the others only.',
  ],
  import_closed: ['This import is already done.', 'Start a new one.'],
  links_in_file: [
    '{label} holds several references, which a file cannot bring.',
    'Leave it out, and add the column to the table.',
  ],
  unknown_import: ['There is no such import.', 'Start again.'],
  // plans and forms
  unknown_form: ['There is no form “{form}”.', ''],
  form_exists: ['There is already a form with the key “{form}”.', 'Choose another name.'],
  unknown_edition: ['{form} has no edition {edition}.', ''],
  never_published: ['{form} has not been published yet.', 'Publish it first.'],
  unknown_field: ['The form has no field “{field}”.', ''],
  no_choices: ['{field} offers no choices.', ''],
  plan_invalid: ['The plan cannot be read: {reason}.', ''],
  plan_has_problems: ['The plan has {count} problems.', 'See the checkup.'],
  draft_changed: ['Someone else changed this draft meanwhile.', 'Open it again.'],
  condition_unsaved: [
    '“{title}” is shown by {label}, which is not saved: in a record that is opened again its lines are out of sight.',
    'Save {label} to a column, or show the lines by something that is saved.',
  ],
  cycle: ['The fields follow from one another in a circle: {path}.', 'Take one of the links away.'],
  field_twice: ['Two fields have the key “{field}”.', 'Give one another key.'],
  choices_table_missing: ['{label} takes its choices from “{table}”, which is no table.', ''],
  choices_path_missing: ['{label}: {table} has no column “{column}”.', 'Choose another column.'],
  choices_nothing_shown: ['{label} shows no column of {table}.', 'Choose at least one.'],
  distinct_needs_copy: ['{label}: distinct values can only be stored as a copy.', 'Store a copy.'],
  narrowing_field_missing: [
    '{label} is narrowed by “{field}”, which is no field of this form.',
    '',
  ],
  narrowing_types: [
    '{label}: {column} cannot be compared with {field}.',
    'Compare like with like.',
  ],
  narrowing_slow: [
    '{label}: narrowing by {column} reads all {count} records of {table}.',
    'Narrow by a column of {table} itself, and with “is”.',
  ],
  narrowing_unindexed: [
    '{label}: {table} has {count} records and no index for {column} yet.',
    'Publishing makes one.',
  ],
  never_filled: [
    '{label} waits for {by}, which is never shown and never filled.',
    'Show {by}, or offer everything while it is empty.',
  ],
  copy_too_long: [
    '{label} copies texts of up to {length} characters; {column} takes {limit}.',
    'Make the column longer, or store the link.',
  ],
  distinct_unique: [
    '{label} offers each {column} once, but no two are the same.',
    'Store the link.',
  ],
  never_shown: ['{label} is never shown: its condition is always no.', 'Change the condition.'],
  typed_by_missing: ['{label}: {table} has no column “{column}” to be typed.', 'Choose another.'],
  typed_by_not_unique: [
    '{label}: several records of {table} may have the same {column}.',
    'Make the column unique.',
  ],
  columns_of_missing: ['{label} reads columns of “{field}”, which chooses no record.', ''],
  bring_without_record: ['{label} brings columns, but chooses no record.', 'Store the link.'],
  bring_path_missing: [
    '{label} brings “{column}”, which {table} does not have.',
    'Choose another.',
  ],
  bring_into_missing: ['{label} brings into “{field}”, which is no field of this form.', ''],
  bring_by_missing: ['{label} lets “{field}” say the column, which is no field of this form.', ''],
  bring_types: ['{label} brings {column} into {field}: {held} does not fit {taken}.', ''],
  brought_twice: ['{label} takes its value from {first} and from {second}.', 'Leave one of them.'],
  value_twice: ['{label} is given its value in two ways: {ways}.', 'Leave one of them.'],
  rollup_table_missing: ['{label} rolls up “{table}”, which is no table.', ''],
  rollup_path_missing: ['{label}: {table} has no column “{column}”.', 'Choose another column.'],
  rollup_not_number: ['{label}: {column} is no number; it has no {aggregate}.', 'Count instead.'],
  starts_at_missing: ['The cursor starts in “{field}”, which is no field of this form.', ''],
  grid_table_missing: ['{label} holds rows of “{table}”, which is no table.', ''],
  grid_within_missing: [
    '{label} stands in the lines of “{grid}”, which are not there, or stand in lines themselves.',
    'Let its rows belong to the form, or to lines that do.',
  ],
  grid_link_missing: ['{label}: {table} has no column “{column}” that refers to {parent}.', ''],
  write_table_missing: ['A record is written to “{table}”, which is no table.', ''],
  write_grid_missing: [
    'A record of {table} is written for each line of “{grid}”, which has no lines here.',
    '',
  ],
  write_column_missing: ['A record is written to “{column}”, which {table} does not have.', ''],
  saves_to_missing: ['{label} saves to “{column}”, which is no column of {table}.', ''],
  saves_twice: ['{label} and {other} both save to {column}.', 'Let one of them be not saved.'],
  saves_wrong_type: ['{label} holds {held}, but {column} takes {taken}.', ''],
  required_unwritten: [
    '{column} is required in {table}, but no field saves to it.',
    'Add the field.',
  ],
  default_not_offered: ['The default of {label}, “{given}”, is not among its choices.', ''],
  default_wrong_type: ['The default of {label} does not fit: {reason}', ''],
  label_twice: ['Two fields are labelled “{label}”.', 'Tell them apart.'],
  no_order: ['The choices of {label} have no order.', 'Choose a column to order by.'],
  nothing_reads: ['{label} is not saved, and nothing reads it.', 'Save it, use it, or remove it.'],
  // formulas
  formula_empty: ['The formula is empty.', 'Write what is to be worked out.'],
  formula_too_long: ['The formula is longer than {limit} characters.', 'Divide it among fields.'],
  formula_too_deep: ['The formula is nested more than {limit} deep.', 'Divide it among fields.'],
  formula_unreadable: ['The formula cannot be read from “{rest}” on.', ''],
  formula_unfinished: ['The formula is not finished.', 'Something is missing at its end.'],
  formula_unsupported: ['“{given}” cannot be used in a formula here.', ''],
  formula_unknown_name: ['There is nothing called “{name}” here.', '{hint}'],
  formula_unknown_member: ['{of} has no “{key}”.', '{hint}'],
  formula_unknown_function: ['There is no function “{name}”.', '{hint}'],
  formula_parameters: ['{name} takes {taken}; {given} given.', ''],
  formula_wrong_kind: ['“{given}” is {kind}; {wanted} is wanted here.', ''],
  formula_operands: ['“{left}” is {leftKind}, “{right}” is {rightKind}.', '{sign} takes {taken}.'],
  formula_comparison: [
    '“{left}” is {leftKind}, “{right}” is {rightKind}: they cannot be compared.',
    'Compare like with like.',
  ],
  formula_no_date: ['“{given}” is no {what} that exists.', 'Write it like 2027-03-01.'],
  formula_too_many_steps: [
    'The formula does not come to an end within {limit} steps.',
    'Let it loop over less.',
  ],
  formula_result: ['The formula gives {kind}; {label} holds {held}.', ''],
  // requests
  bad_request: ['The request cannot be read: {reason}.', ''],
  not_json: ['The request is not JSON.', ''],
  too_large: ['The request is larger than {limit}.', ''],
  not_settled: ['The form did not come to rest after {rounds} rounds.', ''],
  answer_unreadable: [
    'The server answered in a way that this page does not understand.',
    'Load the page again: it may be older than the server.',
  ],
  unreachable: ['The server does not answer.', 'What was typed is kept; it is tried again.'],
  database_away: [
    'The database does not answer.',
    'What was typed is kept; try again in a moment.',
  ],
  read_failed: ['{label} could not be read.', 'It can be asked again.'],
  internal: ['Something went wrong here.', 'It was noted as {request}; try again.'],
} as const satisfies Record<string, readonly [sentence: string, hint: string]>;

/** The code of one kind of problem. */
export type ProblemCode = keyof typeof sentences;

/** What is named in a sentence: `{label}`, `{given}` … */
export type Details = Record<string, string | number>;

/** One problem as data: where it is, what it is, what to do. */
export interface Problem {
  /** Where: a field key, `lines[2].score`, or `''` for the whole. */
  path: string;
  code: ProblemCode;
  message: string;
  hint: string;
}

/** The shape of a problem on the wire. */
export const problemSchema = z.object({
  path: z.string(),
  code: z.enum(Object.keys(sentences) as [ProblemCode, ...ProblemCode[]]),
  message: z.string(),
  hint: z.string(),
});

const longestDetail = 80;
/** What uses something is told in full, as far as anybody reads. */
const longestList = 600;

/** Makes a problem; long details are cut, so that a sentence stays a sentence. */
export function problem(code: ProblemCode, details: Details = {}, path = ''): Problem {
  const [sentence, hint] = sentences[code];
  const fill = (text: string) =>
    text.replace(/\{(\w+)\}/g, (whole, name: string) => {
      const detail = details[name];
      if (detail === undefined) return whole;
      const said = typeof detail === 'number' ? detail.toLocaleString('en') : detail;
      const longest = name === 'users' ? longestList : longestDetail;
      return said.length > longest ? `${said.slice(0, longest)}…` : said;
    });
  return { path, code, message: fill(sentence), hint: fill(hint) };
}

/** A problem thrown across layers; the server answers it with its status. */
export class ProblemError extends Error {
  readonly problems: readonly Problem[];

  constructor(
    problems: Problem | readonly Problem[],
    readonly status = 422,
  ) {
    const list = Array.isArray(problems) ? (problems as readonly Problem[]) : [problems as Problem];
    super(list.map((p) => p.message).join(' '));
    this.name = 'ProblemError';
    this.problems = list;
  }
}

/** Throws a {@link ProblemError} with one problem. */
export function fail(code: ProblemCode, details: Details = {}, status = 422, path = ''): never {
  throw new ProblemError(problem(code, details, path), status);
}
