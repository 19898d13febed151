import { num } from './words/say';
import { z } from 'zod';

/** The details of a problem as they stand in its sentence. */
type Said = Readonly<Record<string, string>>;

/**
 * Every error that the product can show: a code, its sentence and, where there is something to do
 * about it, a hint, in the words of whoever reads it now.
 */
const sentences = {
  // values
  required: (d) => [`${d.label} is missing.`, 'Fill it in.'],
  not_text: (d) => [`${d.label} is not a text.`, ''],
  too_long: (d) => [
    `${d.label} has ${d.length} characters; at most ${d.limit} fit.`,
    'Shorten it.',
  ],
  not_email: (d) => [`“${d.given}” is not an e-mail address.`, 'Write it like name@example.org.'],
  not_url: (d) => [`“${d.given}” is not a web address.`, 'Write it like https://example.org/page.'],
  not_phone: (d) => [
    `“${d.given}” is not a phone number.`,
    'Use digits, spaces and + ( ) - / only.',
  ],
  not_whole: (d) => [`“${d.given}” is not a whole number.`, 'Use digits only.'],
  whole_too_large: (d) => [`“${d.given}” is larger than a whole number can be here.`, ''],
  not_decimal: (d) => [`“${d.given}” is not a number.`, 'Write it like 1250.50.'],
  too_many_places: (d) => [`“${d.given}” has more than ${d.scale} decimal places.`, 'Round it.'],
  too_many_digits: (d) => [
    `“${d.given}” has more than ${d.digits} digits before the decimal point.`,
    '',
  ],
  not_yes_no: (d) => [`“${d.given}” is neither yes nor no.`, 'Write yes or no.'],
  not_date: (d) => [`“${d.given}” is not a date.`, 'Write it like 2027-03-01.'],
  not_duration: (d) => [
    `“${d.given}” is not a duration.`,
    'Write hours and minutes: 1:30, 1 h 30 min or 90 min.',
  ],
  not_time: (d) => [`“${d.given}” is not a time of day.`, 'Write it like 14:30.'],
  not_date_time: (d) => [
    `“${d.given}” is not a date with a time.`,
    'Write it like 2027-03-01 14:30.',
  ],
  not_option: (d) => [
    `“${d.given}” is not one of the options of ${d.label}.`,
    `Use: ${d.options}.`,
  ],
  not_reference: (d) => [`“${d.given}” does not name a record.`, ''],
  was_other_type: (d) => [
    `${d.label} had another type then, and “${d.given}” no longer fits.`,
    'Put the other values back by hand, and choose one for it.',
  ],
  no_index: (d) => [
    `${d.label} has an index already, or cannot have one.`,
    'Long texts, files and several references have none.',
  ],
  not_rows: (d) => [`${d.label}: “${d.given}” is not a list of rows.`, ''],
  bad_row: (d) => [`${d.label}, row ${d.row}:`, ''],
  too_many_members: (d) => [`${d.label} holds at most ${d.limit}.`, 'Remove some, or use a table.'],
  // files
  not_files: (d) => [`${d.label}: this is no list of files.`, ''],
  too_many_files: (d) => [`${d.label} holds no more files than ${d.limit}.`, 'Remove one first.'],
  file_larger: (d) => [
    `${d.label}: “${d.name}” is larger than ${d.limit}.`,
    'Choose a smaller file.',
  ],
  file_kind: (d) => [`${d.label}: “${d.name}” is not one of: ${d.kinds}.`, 'Choose another file.'],
  file_unknown: (d) => [
    `${d.label}: “${d.name}” is not here any more.`,
    'Remove it and add the file again.',
  ],
  file_too_many_points: (d) => [
    `The picture has ${d.width} × ${d.height} points; at most ${d.limit} are taken.`,
    'Make it smaller first.',
  ],
  file_none: () => ['The file has no bytes.', 'Choose another file.'],
  file_too_long: (d) => [`The file is larger than ${d.limit}.`, 'Choose a smaller file.'],
  file_not_here: () => ['The file is not here any more.', ''],
  too_many_files_at_once: (d) => [
    `More than ${d.limit} files or sheets come in at once.`,
    'Bring them in step by step.',
  ],
  rehearsal_gone: () => [
    'This rehearsal is not there any more.',
    'Somebody has taken it out; load the page again.',
  ],
  rehearsal_changed: () => [
    'Somebody else has changed this rehearsal.',
    'Look at it as it is now, then change it again.',
  ],
  rehearsal_named: (d) => [
    `There is a rehearsal named “${d.name}” already.`,
    'Give this one another name.',
  ],
  rehearsal_too_large: () => [
    'This filling is too large to be kept as a rehearsal.',
    'Keep one with fewer rows.',
  ],
  too_many_rehearsals: (d) => [
    `A form has at most ${d.most} rehearsals.`,
    'Take out some that say the same as others.',
  ],
  rehearsals_fail: (d) => [
    `These rehearsals do not come out as expected: ${d.names}.`,
    'Mend the draft, accept what comes now, or say why you publish all the same.',
  ],
  drift_gone: () => [
    'These findings are not there any more.',
    'Hold the records against the form again.',
  ],
  too_many_by_key: (d) => [
    `At most ${d.limit} rows can be matched at once.`,
    'Cut the file into several.',
  ],
  key_ambiguous: (d) => [
    `“${d.given}” stands in ${d.label} of several records.`,
    'Match by a column in which each value stands once.',
  ],
  key_missing: (d) => [`${d.label} is empty: this row matches nothing.`, ''],
  by_key_odd: (d) => [
    `Rows cannot be matched by ${d.label}.`,
    'Choose a text, a number or a code.',
  ],
  files_in_file: (d) => [`${d.label}: files cannot come from a table of text.`, 'Leave it out.'],
  files_waiting: () => [
    'You have sent too many files that belong to no record yet.',
    'Save what you have begun, or wait until tomorrow.',
  ],
  // choices
  not_offered: (d) => [
    `${d.label}: ${d.given} is not offered here.`,
    'Choose again from the list.',
  ],
  body_slow: () => ['Your request took too long to arrive.', 'Send it again.'],
  body_cut_off: () => ['Your request was cut off.', 'Send it again.'],
  file_cut_off: (d) => [`The file was cut off near line ${d.line}.`, 'Send it again.'],
  disk_full: () => [
    'The database has run out of disk space; nothing was saved.',
    'What you typed is safe here. Save again once there is space.',
  ],
  not_from_here: () => ['This was not sent from a page of Unisor.', ''],
  busy: () => ['Many people are saving the same records right now.', 'Try again in a moment.'],
  lease_held: (d) => [`Someone else is ${d.work} at the moment.`, 'Try again in a moment.'],
  lease_lost: (d) => [
    `This took too long and was stopped: someone else is ${d.work} now.`,
    'Try again.',
  ],
  edition_closed: () => [
    'A new edition of the form was published after you opened it.',
    'Copy what you typed and open the link again.',
  ],
  rows_twice: (d) => [`${d.label}: a line was sent twice.`, 'Open the record again.'],
  not_typed: (d) => [`${d.label} cannot be changed here; it is ${d.now}.`, 'Undo the change.'],
  not_shown: (d) => [
    `${d.label} is no longer shown; “${d.given}” would be lost.`,
    'Check the fields it depends on, or leave it empty.',
  ],
  choose_first: (d) => [`${d.label}: choose ${d.first} first.`, ''],
  result_misfit: (d) => [`${d.label}: “${d.given}” does not fit.`, ''],
  value_changed: (d) => [
    `${d.label} is ${d.now} now; it was ${d.given} when you saw it.`,
    'Check it and save again.',
  ],
  check_failed: () => ['This check fails.', ''],
  record_gone: (d) => [`${d.label}: the record you chose no longer exists.`, 'Choose another one.'],
  unknown_match: (d) => [
    `No ${d.table} has ${d.column} “${d.given}”.`,
    'Add it there first, or correct it here.',
  ],
  ambiguous_match: (d) => [
    `Several records of ${d.table} have ${d.column} “${d.given}”.`,
    'Choose another column to match by.',
  ],
  // records
  not_unique: (d) => [
    `${d.label} “${d.given}” is already taken.`,
    `It must be unique in ${d.table}.`,
  ],
  not_unique_there: (d) => [
    `${d.label} “${d.given}” is in the table already.`,
    'Leave the line out, or change the value.',
  ],
  twice_in_file: (d) => [
    `${d.label} “${d.given}” appears twice, first in line ${d.line}.`,
    'It must be unique.',
  ],
  in_use: (d) => [`This record is in use by ${d.users}.`, 'Change or remove those first.'],
  changed_meanwhile: (d) => [
    `This record has just been changed by ${d.by}.`,
    'Check the new values, then make your change again.',
  ],
  deleted_meanwhile: (d) => [
    `This record of ${d.table} has just been deleted by ${d.by}.`,
    'What you typed is still here; save it as a new record, or leave it.',
  ],
  rows_gone: (d) => [
    `${d.label}: this line is no longer part of the record.`,
    'It has been removed, or belongs to another record.',
  ],
  too_many_rows: (d) => [
    `${d.label} has more than ${d.limit} records here, too many for a form.`,
    'Change them in the table.',
  ],
  undo_too_late: (d) => [
    `This save can no longer be undone: ${d.what} has been changed since.`,
    'Change it by hand, or restore an earlier version.',
  ],
  nothing_to_undo: () => ['This save cannot be undone.', ''],
  unknown_record: (d) => [`There is no record ${d.id} in ${d.table}.`, 'It may have been deleted.'],
  // tables
  unknown_table: (d) => [`There is no table “${d.table}”.`, ''],
  unknown_column: (d) => [`${d.table} has no column “${d.column}”.`, ''],
  table_exists: (d) => [
    `There is already a table with the key “${d.table}”.`,
    'Choose another name.',
  ],
  column_twice: (d) => [`There are two columns with the key “${d.column}”.`, 'Rename one of them.'],
  column_reserved: (d) => [`The key “${d.column}” is reserved.`, 'Choose another name.'],
  no_columns: () => ['A table needs at least one column.', 'Add one.'],
  too_many_columns: (d) => [
    `${d.count} columns; a table holds at most ${d.limit}.`,
    'Leave out the columns nobody needs.',
  ],
  row_too_wide: (d) => [
    `The columns together are too wide for one record (${d.bytes} of ${d.limit} bytes).`,
    'Turn some of them into long text, or shorten them.',
  ],
  bad_display: (d) => [
    `Records of ${d.table} should be shown by “${d.column}”, which is not one of its columns.`,
    '',
  ],
  display_empty: (d) => [
    `Nothing says how a record of ${d.table} is shown.`,
    'Choose one or more columns.',
  ],
  reference_missing: (d) => [
    `${d.label} refers to “${d.table}”, which is not a table.`,
    'Choose a table.',
  ],
  mirror_missing: (d) => [
    `${d.label} should show the other side of “${d.column}” of ${d.table}, which has no such references.`,
    'Choose a column of several references.',
  ],
  link_name_long: (d) => [
    `${d.label} and its table have names too long for a table of links.`,
    'Shorten it.',
  ],
  link_name_taken: (d) => [
    `The links of ${d.label} would be kept under “${d.name}”, which is the key of a table.`,
    'Choose another key for one of them.',
  ],
  several_plain: (d) => [
    `${d.label} holds several values: it can be neither required nor unique.`,
    '',
  ],
  option_twice: (d) => [`${d.label} has the option “${d.given}” twice.`, 'Remove one.'],
  option_retired: (d) => [`${d.label}: “${d.given}” is retired.`, 'Choose another one.'],
  option_label_twice: (d) => [`${d.label} shows “${d.given}” twice.`, 'Give one another label.'],
  option_of_missing: (d) => [
    `“${d.given}” belongs to “${d.of}”, which the other list does not have.`,
    '',
  ],
  draft_unwired: (d) => [
    `${d.title} cannot be shown: ${d.reason}.`,
    'Undo the last change, or fix what it refers to.',
  ],
  names_nothing: (d) => [
    `${d.label} names the ${d.kind} “${d.name}”, which does not exist.`,
    'Choose another one.',
  ],
  list_missing: (d) => [`${d.label}: there is no option list “${d.list}”.`, 'Choose another one.'],
  list_of_missing: (d) => [`There is no list “${d.list}” for these values to belong to.`, ''],
  list_circle: (d) => [`The values of ${d.list} already belong to values of this list.`, ''],
  list_exists: (d) => [`There is already a list with the key “${d.list}”.`, 'Choose another name.'],
  list_in_use: (d) => [`${d.list} is in use by ${d.users}.`, 'Change those first.'],
  list_changed: (d) => [`${d.list} has just been changed by ${d.by}.`, 'Check it and try again.'],
  list_by_alone: (d) => [
    `${d.list} has no parent list, so nothing can narrow it.`,
    'On the list’s page, choose which value each of its values belongs to.',
  ],
  values_in_list: (d) => [
    `The list ${d.list} has the same values.`,
    'Use the list instead, and they live in one place.',
  ],
  values_twice: (d) => [`${d.field} offers the same values.`, 'Turn them into an option list.'],
  unknown_connection: (d) => [`There is no connection “${d.connection}”.`, ''],
  unknown_query: (d) => [`There is no query “${d.query}”.`, ''],
  connection_exists: (d) => [
    `There is already a connection with the key “${d.connection}”.`,
    'Choose another name.',
  ],
  query_exists: (d) => [
    `There is already a query with the key “${d.query}”.`,
    'Choose another name.',
  ],
  connection_in_use: (d) => [`${d.connection} is in use by ${d.users}.`, 'Change those first.'],
  query_in_use: (d) => [`${d.query} is in use by ${d.users}.`, 'Change those first.'],
  query_missing: (d) => [`There is no query “${d.query}”.`, 'Choose another one.'],
  query_column_missing: (d) => [`${d.query} has no column “${d.column}”.`, 'Choose another one.'],
  query_parameter_missing: (d) => [`${d.query} has no parameter “${d.parameter}”.`, ''],
  parameter_twice: (d) => [
    `${d.query} has two parameters with the same key.`,
    'Rename one of them.',
  ],
  outside_column_twice: (d) => [
    `${d.query} has two columns with the same key.`,
    'Rename one of them.',
  ],
  parameter_missing: (d) => [
    `“${d.parameter}” is not a parameter of the query.`,
    'Add it, or remove it.',
  ],
  parameter_ungiven: (d) => [
    `${d.query} needs ${d.parameter}, but no field provides it.`,
    'Choose the field that provides it.',
  ],
  parameter_types: (d) => [`${d.field} (${d.held}) does not accept ${d.parameter}.`, ''],
  parameter_bad: (d) => [`${d.parameter}: ${d.reason}`, ''],
  address_outside_base: (d) => [
    'The address must stay below the base address of the connection.',
    `Leave out the host, like /members/${d.code}.`,
  ],
  address_too_long: (d) => [
    `The address would have ${d.length} characters; at most ${d.limit} can be sent.`,
    'Shorten what you typed here.',
  ],
  not_told: (d) => [
    `“${d.name}” is a list or a record and cannot be sent.`,
    'Send one of its values instead.',
  ],
  package_file_missing: (d) => [
    `The package has no file “${d.name}”.`,
    'A Data Package is a zip with datapackage.json at its top.',
  ],
  package_too_large: () => ['The package is too large.', ''],
  package_not_json: (d) => [`“${d.name}” in the package is not JSON.`, ''],
  package_unreadable: (d) => [`The file cannot be read as a zip: ${d.reason}.`, ''],
  package_wrong: (d) => [`The package does not describe itself rightly: ${d.reason}.`, ''],
  package_clashes: (d) => [
    `These are here already: ${d.what}.`,
    'Rename or remove them first, or bring the package into an empty house.',
  ],
  package_heads: (d) => [
    `“${d.name}” does not have the columns that are described: ${d.heads}.`,
    '',
  ],
  package_id: (d) => [`“${d.given}” is not the number of a record.`, ''],
  package_row: (d) => [`${d.table}, line ${d.line}: ${d.what}`, ''],
  package_dangling: (d) => [
    `${d.table}: ${d.label} names record ${d.given}, which is not in the package.`,
    '',
  ],
  package_no_tables: () => ['The package describes no table.', ''],
  package_reference: (d) => [
    `${d.table}: ${d.column} refers to “${d.resource}”, which is not in the package.`,
    '',
  ],
  sheet_older: () => [
    'This spreadsheet is locked with a password, or of an older kind.',
    'Save it as .xlsx without a password, or as CSV.',
  ],
  sheet_swollen: () => [
    'Unpacked, this spreadsheet is far larger than one can be.',
    'Save the sheet as CSV, and take that.',
  ],
  sheet_too_long: (d) => [`A sheet holds at most ${d.most} rows.`, 'Export the table as CSV.'],
  retype_not: (d) => [
    `${d.label} (${d.from}) cannot become: ${d.to}.`,
    'Add another column, and remove this one.',
  ],
  retype_many: (d) => [`More than ${d.most} different values cannot be looked at.`, ''],
  retype_misfits: (d) => [
    `${d.count} values of ${d.label} do not fit: ${d.to}.`,
    'Correct them below, or leave them empty.',
  ],
  retype_meanwhile: (d) => [
    `Somebody wrote to ${d.label} meanwhile.`,
    'Nothing was changed. Try again.',
  ],
  retype_breaks: (d) => [
    `${d.label} cannot be changed, since it is used in: ${d.users}.`,
    'Change them first.',
  ],
  retype_view: (d) => [
    `The view ${d.view} filters, sorts or groups by it.`,
    'Change the view first.',
  ],
  retype_mirrored: (d) => [`Its links are shown there as ${d.label}.`, 'Remove that column first.'],
  retype_no_way_back: () => ['There is nothing to go back to.', ''],
  column_needs_values: (d) => [
    `${d.label} cannot be required, since ${d.count} records have no value.`,
    'Fill them in first.',
  ],
  column_has_doubles: (d) => [
    `${d.label} cannot be unique, since ${d.given} stands ${d.count} times.`,
    'Change the records first.',
  ],
  columns_order: (d) => [`The order does not name the columns of ${d.table}.`, ''],
  asked_by_none: (d) => [
    `No published form asks the rows of ${d.table}.`,
    'Have a section of a form take its questions from this table, and publish it.',
  ],
  questions_too_many: (d) => [
    `More than ${d.most} rows cannot be looked over together.`,
    'Edit them under Records.',
  ],
  mail_none: () => [
    'No mail server is set up.',
    'Name one by UNISOR_MAIL_URL where the server is started; what waits is sent then.',
  ],
  mail_refused: (d) => [`The mail server refused the message: ${d.reason}`, ''],
  mail_away: (d) => [`The mail server could not be reached: ${d.reason}`, ''],
  mail_to_nobody: () => [
    'An e-mail goes to nobody.',
    'Name an address, a field with one in braces, or somebody by the name they sign in with.',
  ],
  mail_person_missing: (d) => [
    `“${d.given}” is not an e-mail address.`,
    'People here are named by the name they sign in with, and need an address of their own.',
  ],
  still_looked_up: (d) => [
    `“${d.given}” is still being looked up.`,
    'Wait a moment, or choose from the list.',
  ],
  broken_text: (d) => [`${d.label} contains a broken character.`, 'Type it again.'],
  select_only: () => ['Only a SELECT can be asked.', ''],
  outside_file_right: (d) => [
    `The user of ${d.system} may read and write files on its server, so nothing is sent as this user.`,
    'Use a database user without the FILE privilege.',
  ],
  parameter_climbs: () => [
    'A value that is only dots cannot be part of an address.',
    'Use another value.',
  ],
  outside_host_refused: (d) => [
    `${d.host} is not an allowed host.`,
    'A keeper can allow it on the Outside page.',
  ],
  outside_away: (d) => [
    `${d.system} is not responding.`,
    'Carry on; you can try again at any time.',
  ],
  outside_slow: (d) => [
    `${d.system} took longer than ${d.limit} ms.`,
    'Carry on; you can try again at any time.',
  ],
  outside_paused: (d) => [
    `${d.system} has failed several times and is paused for ${d.seconds} s.`,
    'Carry on; it is tried again after that.',
  ],
  outside_status: (d) => [
    `${d.system} answered with status ${d.status}.`,
    'Carry on, or try again.',
  ],
  outside_not_json: (d) => [
    `${d.system} returned something that is not JSON.`,
    'Carry on, or try again.',
  ],
  outside_too_large: (d) => [
    `${d.system} answered with more than ${d.limit} MB.`,
    'Narrow the query.',
  ],
  outside_no_rows: (d) => [
    `The answer of ${d.system} has nothing at “${d.place}”.`,
    'Check the query.',
  ],
  outside_refused: (d) => [
    `${d.system} refuses it: ${d.reason}.`,
    'Carry on; its administrator has to look at it.',
  ],
  outside_unreadable: (d) => [
    `${d.system} gives values for ${d.columns} that do not fit its type.`,
    'Carry on; the query needs fixing.',
  ],
  outside_takes_nothing: (d) => [
    `${d.system} cannot be written to this way.`,
    'Use POST, PUT or PATCH for an HTTP service, and a statement for a database.',
  ],
  outside_read_only: (d) => [
    `${d.system} is read-only.`,
    'Allow writing on the connection’s page if you mean to.',
  ],
  writing_only: () => ['Only INSERT, UPDATE or DELETE can be sent to a database.', ''],
  next_page_missing: () => [
    'Where the answer says what the next page is asked for with is not told.',
    'Say where it is in the answer.',
  ],
  send_system_missing: (d) => [
    `${d.system} does not accept what this form sends.`,
    'Choose another system, or allow it on the connection’s page.',
  ],
  send_value_missing: (d) => [
    `The address names “${d.name}”, for which there is no formula.`,
    'Add one.',
  ],
  through_unknown: (d) => [
    `${d.system} has no record for ${d.parameter} “${d.given}”.`,
    'Check what you typed.',
  ],
  through_changed: (d) => [
    `Someone else has changed it in ${d.system} in the meantime.`,
    'Compare both versions.',
  ],
  through_read_only: () => ['This form is read-only.', ''],
  through_none: () => ['This form does not show an outside record.', ''],
  through_saves: (d) => [
    `${d.label} saves to a column, but this form stores nothing here.`,
    'Do not save it.',
  ],
  through_key_missing: (d) => [
    `${d.query} has no parameter “${d.parameter}” to open a record with.`,
    '',
  ],
  through_field_missing: (d) => [
    `The outside record refers to the field “${d.field}”, which does not exist.`,
    '',
  ],
  // people
  not_signed_in: () => [
    'You are not signed in.',
    'Sign in and try again. What you typed stays here.',
  ],
  not_allowed: () => ['You may not do this.', 'Ask a keeper if you need it for your work.'],
  only_looking: (d) => [
    `You are looking with the eyes of ${d.person}: nothing can be changed.`,
    'Go back to your own account first.',
  ],
  column_not_allowed: (d) => [`You may not change ${d.label}.`, 'Leave it as it is.'],
  record_not_allowed: (d) => [
    `You would no longer see this ${d.table} record.`,
    'Choose something that is among your own.',
  ],
  sign_in_refused: () => ['The name or the password is not right.', 'Check both and try again.'],
  sign_in_throttled: () => ['Too many attempts.', 'Wait a few minutes and try again.'],
  passkey_refused: () => [
    'This passkey was not accepted.',
    'Try again, or sign in with your password.',
  ],
  organisation_refused: () => [
    'Your organisation’s sign-in could not be confirmed.',
    'Try again, or sign in with your password.',
  ],
  organisation_unknown: () => [
    'Your organisation knows you, but no account here has your e-mail address.',
    'Ask a keeper to add you.',
  ],
  organisation_down: () => [
    'Your organisation’s sign-in is not responding.',
    'Try again in a moment, or sign in with your password.',
  ],
  form_not_open: (d) => [`This form takes records from ${d.moment} on.`, 'Come back then.'],
  form_closed: () => ['This form is closed.', 'It takes no records any more.'],
  form_full: () => ['This form has all the records it may take.', ''],
  form_full_each: () => ['You have filled in this form as often as you may.', ''],
  after_nowhere: () => [
    'Where to go after a save is no address.',
    'Write one that begins with https://, or a page of this house like /forms.',
  ],
  after_no_form: () => ['No form is chosen to go on with after a save.', 'Choose one.'],
  takes_never: () => ['The form closes before it opens.', 'Change one of the two.'],
  asks_nothing: (d) => [`${d.form} asks no questions.`, ''],
  answers_column: (d) => [
    `${d.column} of ${d.table} cannot take what ${d.label} keeps there.`,
    'Choose another column.',
  ],
  points_no_number: (d) => [
    `${d.field} cannot take the points of ${d.label}: it holds no number.`,
    'Choose another field.',
  ],
  question_code: (d) => [
    `“${d.given}” cannot be a question’s code.`,
    'Use small letters, digits and _, beginning with a letter.',
  ],
  question_code_twice: (d) => [
    `The code “${d.given}” is used twice.`,
    'Give this question another one.',
  ],
  question_code_taken: (d) => [
    `The form has a field “${d.given}” already.`,
    'Give the question another code.',
  ],
  question_no_files: () => [
    'The answers have no column for files.',
    'Add one to the table of answers, and name it in the form.',
  ],
  question_files_many: (d) => [
    `A question takes from 1 to ${d.most} files.`,
    'Write how many as the greatest value.',
  ],
  question_file_kind: (d) => [
    `There is no kind of file called “${d.given}”.`,
    `Use ${d.kinds}, or leave it empty.`,
  ],
  question_text: () => ['The question has no text.', 'Write what is asked.'],
  question_kind: (d) => [`There is no kind called “${d.given}”.`, `Use one of these: ${d.kinds}.`],
  question_choices: () => [
    'A choice needs at least two different choices.',
    'Write them with semicolons between, or name an option list.',
  ],
  question_choices_twice: (d) => [`“${d.given}” stands twice among the choices.`, 'Take one out.'],
  question_choices_many: (d) => [
    `There are more than ${d.most} choices.`,
    'Ask for a record of a table instead.',
  ],
  question_table: (d) => [`There is no table “${d.given}”.`, 'Name the table that is chosen from.'],
  question_bounds: (d) => [
    `The least value, ${d.least}, is above the greatest, ${d.greatest}.`,
    'Change one of them.',
  ],
  question_number: (d) => [`“${d.given}” is not a number.`, 'Write a number, or leave it empty.'],
  question_later: (d) => [
    `The condition reads “${d.later}”, which is asked later.`,
    'Its answer is not known yet. Move that question up.',
  ],
  question_many: (d) => [`More than ${d.most} questions are asked.`, 'Narrow them further.'],
  questions_other: () => [
    'These questions belong to another choice.',
    'Take over the questions as they are now; your answers stay.',
  ],
  questions_old: () => [
    'The questions have changed since they were asked.',
    'Take over the questions as they are now; your answers stay.',
  ],
  answer_bounds: (d) => [`${d.label} must be from ${d.least} to ${d.greatest}.`, ''],
  answer_least: (d) => [`${d.label} must be at least ${d.least}.`, ''],
  answer_greatest: (d) => [`${d.label} must be at most ${d.greatest}.`, ''],
  account_locked: () => ['This account is locked.', 'Ask a keeper.'],
  code_needed: () => ['Enter the code from your authenticator app.', ''],
  code_wrong: () => ['This code is not right, or has been used already.', 'Wait for the next one.'],
  password_short: (d) => [`Use at least ${d.least} characters.`, 'A few words in a row work well.'],
  password_common: () => [
    'This password is easy to guess.',
    'Use a few words that do not belong together.',
  ],
  password_wrong: () => ['Your current password is not right.', 'Type it again.'],
  set_up_closed: () => ['The first keeper has been made already.', 'Sign in instead.'],
  set_up_code: () => [
    'This code does not open the set-up.',
    'Use the one that the start command has printed.',
  ],
  welcome_bad: () => ['This link does not work any more.', 'Ask a keeper for a new one.'],
  name_taken: (d) => [`“${d.given}” is taken.`, 'Choose another name.'],
  unknown_account: () => ['There is no such account.', ''],
  unknown_role: (d) => [`There is no role “${d.role}”.`, 'Choose another one.'],
  role_exists: (d) => [`There is already a role called “${d.role}”.`, 'Choose another name.'],
  role_in_use: (d) => [`${d.role} is in use by ${d.users}.`, 'Give them another role first.'],
  role_fixed: (d) => [`${d.role} may always do everything.`, 'Make another role instead.'],
  last_keeper: () => [
    'Somebody has to keep the house: this is the last keeper.',
    'Make another keeper first.',
  ],
  keepers_only: () => ['Only a keeper can give or take the rights of a keeper.', 'Ask one.'],
  unknown_token: () => ['There is no such token.', ''],
  unknown_session: () => ['This session has ended already.', ''],
  invitation_bad: () => ['This link does not work.', 'Ask the person who sent it for a new one.'],
  invitation_ended: () => [
    'This invitation has expired.',
    'Ask the person who sent it for a new one.',
  ],
  invitation_used_up: () => ['This invitation has been used up.', 'Ask for a new one.'],
  link_full: () => ['This link has taken all the records it may.', 'Ask for a new one.'],
  invitation_revoked: () => ['This invitation was withdrawn.', 'Ask the person who sent it.'],
  invitation_busy: () => [
    'There were many entries in the last hour.',
    'Try again in a while. What you typed stays here.',
  ],
  invitation_misfit: () => ['The invitation is for another record.', ''],
  invitation_effort: () => ['This took too long. Open the link again.', ''],
  too_many_requests: () => ['Too many requests.', 'Wait a minute and try again.'],
  button_empty: (d) => [`The button ${d.label} has no steps yet.`, 'Add a step.'],
  button_field_missing: (d) => [
    `The button ${d.label} sets “${d.field}”, which is not a field.`,
    'Choose another one.',
  ],
  unknown_button: (d) => [`There is no button “${d.button}” now.`, ''],
  secret_key_missing: () => [
    'Secrets cannot be stored: the server has no key to encrypt them.',
    'Start it with UNISOR_SECRET set.',
  ],
  unknown_list: (d) => [`There is no option list “${d.list}”.`, ''],
  no_options: (d) => [`${d.label} has no options.`, 'Add at least one.'],
  column_in_use: (d) => [`${d.label} is in use by ${d.users}.`, 'Change those first.'],
  options_of_list: (d) => [
    `${d.label} takes its options from a list already.`,
    'Change them on the page of the list.',
  ],
  option_in_use: (d) => [
    `The option “${d.given}” of ${d.label} is in use by ${d.users}.`,
    'Change those first.',
  ],
  links_hold_name: (d) => [
    `${d.table} is linked by columns of several references.`,
    'Remove those columns first.',
  ],
  last_column: (d) => [`${d.label} is the only column of ${d.table}.`, 'Remove the table.'],
  table_in_use: (d) => [`${d.table} is in use by ${d.users}.`, 'Change or remove those first.'],
  column_needs_value: (d) => [
    `${d.label} cannot be required yet: ${d.table} already has records without it.`,
    'Add it as optional, fill it in, then make it required.',
  ],
  structure_failed: (d) => [`The table could not be changed: ${d.reason}.`, 'Nothing was changed.'],
  // files
  file_empty: () => ['The file is empty.', 'Choose a file with a line of column names.'],
  header_only: () => [
    'The file has column names, but no rows.',
    'Add rows, or create the table by hand.',
  ],
  header_twice: (d) => [
    `Two columns are named “${d.given}” (columns ${d.first} and ${d.second}).`,
    'Rename one of them.',
  ],
  not_utf8: (d) => [
    `The file is not UTF-8 text (near line ${d.line}).`,
    'Save it as UTF-8 and try again.',
  ],
  bad_csv: (d) => [`Line ${d.line} cannot be read: ${d.reason}.`, 'Check its quotes.'],
  ragged_row: (d) => [
    `The row has ${d.cells} cells; the file has ${d.columns} columns.`,
    'Check its delimiters.',
  ],
  rows_rejected: (d) => [
    `${d.count} of the rows cannot be imported.`,
    'Fix them, or import only the others.',
  ],
  import_closed: () => ['This import is already finished.', 'Start a new one.'],
  links_in_file: (d) => [
    `${d.label} holds several references, which cannot be imported from a file.`,
    'Leave it out and add the column to the table yourself.',
  ],
  unknown_import: () => ['There is no such import.', 'Start again.'],
  // plans and forms
  unknown_form: (d) => [`There is no form “${d.form}”.`, ''],
  form_exists: (d) => [`There is already a form with the key “${d.form}”.`, 'Choose another name.'],
  unknown_edition: (d) => [`${d.form} has no edition ${d.edition}.`, ''],
  never_published: (d) => [`${d.form} has not been published yet.`, 'Publish it first.'],
  unknown_field: (d) => [`The form has no field “${d.field}”.`, ''],
  no_choices: (d) => [`${d.field} offers no choices.`, ''],
  plan_invalid: (d) => [`The plan cannot be read: ${d.reason}.`, ''],
  plan_has_problems: (d) => [`The plan has ${d.count} problems.`, 'See the checkup.'],
  draft_changed: () => ['Someone else changed this draft in the meantime.', 'Open it again.'],
  condition_unsaved: (d) => [
    `“${d.title}” is shown by ${d.label}, which is not saved: in a record that is opened again its lines are out of sight.`,
    `Save ${d.label} to a column, or show the lines by something that is saved.`,
  ],
  cycle: (d) => [
    `These fields depend on one another in a circle: ${d.path}.`,
    'Remove one of the links.',
  ],
  field_twice: (d) => [`Two fields have the key “${d.field}”.`, 'Change one of them.'],
  choices_table_missing: (d) => [
    `${d.label} takes its choices from “${d.table}”, which is not a table.`,
    '',
  ],
  choices_path_missing: (d) => [
    `${d.label}: ${d.table} has no column “${d.column}”.`,
    'Choose another column.',
  ],
  choices_nothing_shown: (d) => [
    `${d.label} shows no columns of ${d.table}.`,
    'Choose at least one.',
  ],
  distinct_needs_copy: (d) => [
    `${d.label}: distinct values can only be stored as text.`,
    'Store the text.',
  ],
  narrowing_field_missing: (d) => [
    `${d.label} is narrowed by “${d.field}”, which is not a field of this form.`,
    '',
  ],
  narrowing_types: (d) => [
    `${d.label}: ${d.column} cannot be compared with ${d.field}.`,
    d.fitting ? `${d.fitting} can.` : 'Compare values of the same kind.',
  ],
  narrowing_slow: (d) => [
    `${d.label}: narrowing by ${d.column} reads all ${d.count} records of ${d.table}.`,
    `Narrow by a column of ${d.table} itself, and with “is”.`,
  ],
  narrowing_unindexed: (d) => [
    `${d.label}: ${d.table} has ${d.count} records and no index for ${d.column} yet.`,
    'Publishing creates one.',
  ],
  offers_unseen: (d) => [
    `${d.label} offers all records of ${d.table}, also to those who do not see them all: ${d.roles}.`,
    'Untick “Everything, whoever fills the form in” if that is not meant.',
  ],
  never_filled: (d) => [
    `${d.label} waits for ${d.by}, which is never shown or filled in.`,
    `Show ${d.by}, or offer everything while it is empty.`,
  ],
  copy_too_long: (d) => [
    `${d.label} copies texts of up to ${d.length} characters; ${d.column} takes ${d.limit}.`,
    'Make the column longer, or store a link.',
  ],
  distinct_unique: (d) => [
    `${d.label} offers each ${d.column} once, but all of them are different anyway.`,
    'Store a link.',
  ],
  never_shown: (d) => [
    `${d.label} is never shown: its condition is never true.`,
    'Change the condition.',
  ],
  typed_by_missing: (d) => [
    `${d.label}: ${d.table} has no column “${d.column}” to be typed.`,
    'Choose another.',
  ],
  typed_by_not_unique: (d) => [
    `${d.label}: several records of ${d.table} may share the same ${d.column}.`,
    'Make the column unique.',
  ],
  columns_of_missing: (d) => [
    `${d.label} reads columns of “${d.field}”, which does not choose a record.`,
    '',
  ],
  bring_without_record: (d) => [
    `${d.label} brings columns along but does not choose a record.`,
    'Store a link.',
  ],
  bring_path_missing: (d) => [
    `${d.label} brings “${d.column}”, which ${d.table} does not have.`,
    'Choose another.',
  ],
  bring_into_missing: (d) => [
    `${d.label} brings into “${d.field}”, which is not a field of this form.`,
    '',
  ],
  bring_by_missing: (d) => [
    `${d.label} lets “${d.field}” say the column, which is not a field of this form.`,
    '',
  ],
  bring_types: (d) => [
    `${d.label} brings ${d.column} into ${d.field}: ${d.held} does not fit ${d.taken}.`,
    '',
  ],
  brought_twice: (d) => [
    `${d.label} takes its value from ${d.first} and from ${d.second}.`,
    'Keep one of them.',
  ],
  value_twice: (d) => [`${d.label} gets its value in two ways: ${d.ways}.`, 'Keep one of them.'],
  rollup_table_missing: (d) => [`${d.label} totals “${d.table}”, which is not a table.`, ''],
  rollup_path_missing: (d) => [
    `${d.label}: ${d.table} has no column “${d.column}”.`,
    'Choose another column.',
  ],
  rollup_takes_off: (d) => [
    `${d.label}: records can be taken off a sum or a number, not off the ${d.aggregate}.`,
    'Choose sum or number, or remove what is taken off.',
  ],
  rollup_not_number: (d) => [
    `${d.label}: ${d.column} is not a number; it has no ${d.aggregate}.`,
    'Use a count instead.',
  ],
  starts_at_missing: (d) => [
    `The cursor should start in “${d.field}”, which is not a field of this form.`,
    '',
  ],
  grid_table_missing: (d) => [`${d.label} shows rows of “${d.table}”, which is not a table.`, ''],
  grid_within_missing: (d) => [
    `${d.label} stands in the lines of “${d.grid}”, which do not exist or are lines within lines themselves.`,
    'Place them in the form, or in lines that are.',
  ],
  grid_link_missing: (d) => [
    `${d.label}: ${d.table} has no column “${d.column}” that refers to ${d.parent}.`,
    '',
  ],
  write_table_missing: (d) => [`A record is written to “${d.table}”, which is not a table.`, ''],
  write_grid_missing: (d) => [
    `A record of ${d.table} is written for each line of “${d.grid}”, which has no lines here.`,
    '',
  ],
  write_column_missing: (d) => [
    `A record is written to “${d.column}”, which ${d.table} does not have.`,
    '',
  ],
  saves_to_missing: (d) => [
    `${d.label} saves to “${d.column}”, which is not a column of ${d.table}.`,
    '',
  ],
  saves_twice: (d) => [
    `${d.label} and ${d.other} both save to ${d.column}.`,
    'Leave one of them unsaved.',
  ],
  saves_wrong_type: (d) => [`${d.label} holds ${d.held}, but ${d.column} takes ${d.taken}.`, ''],
  required_unwritten: (d) => [
    `${d.column} is required in ${d.table}, but no field saves to it.`,
    'Add the field.',
  ],
  default_not_offered: (d) => [
    `The default of ${d.label}, “${d.given}”, is not one of its choices.`,
    '',
  ],
  default_wrong_type: (d) => [`The default of ${d.label} does not fit: ${d.reason}`, ''],
  label_twice: (d) => [`Two fields are called “${d.label}”.`, 'Rename one of them.'],
  no_order: (d) => [`The choices of ${d.label} are not sorted.`, 'Choose a column to sort by.'],
  nothing_reads: (d) => [
    `${d.label} is not saved, and nothing uses it.`,
    'Save it, use it, or remove it.',
  ],
  // formulas
  formula_empty: () => ['The formula is empty.', 'Write a formula.'],
  formula_too_long: (d) => [
    `The formula is longer than ${d.limit} characters.`,
    'Split it across several fields.',
  ],
  formula_too_deep: (d) => [
    `The formula is nested more than ${d.limit} deep.`,
    'Split it across several fields.',
  ],
  formula_unreadable: (d) => [`The formula cannot be understood from “${d.rest}” onwards.`, ''],
  formula_unfinished: () => ['The formula is not finished.', 'Something is missing at the end.'],
  formula_unsupported: (d) => [`“${d.given}” cannot be used in a formula here.`, ''],
  condition_unreadable: (d) => [`This condition cannot be read: ${d.reason}`, ''],
  condition_not_here: (d) => [
    `“${d.given}” cannot be part of a condition on ${d.table}.`,
    'Compare columns with values or with the person, by =, <, >, in, between, and, or, not.',
  ],
  formula_unknown_name: (d) => [`Nothing is called “${d.name}” here.`, `${d.hint}`],
  formula_unknown_member: (d) => [`${d.of} has no “${d.key}”.`, `${d.hint}`],
  formula_unknown_function: (d) => [`There is no function “${d.name}”.`, `${d.hint}`],
  formula_parameters: (d) => [`${d.name} takes ${d.taken}; ${d.given} given.`, ''],
  formula_wrong_kind: (d) => [`“${d.given}” is ${d.kind}; ${d.wanted} is needed here.`, ''],
  formula_operands: (d) => [
    `“${d.left}” is ${d.leftKind}, “${d.right}” is ${d.rightKind}.`,
    `${d.sign} takes ${d.taken}.`,
  ],
  formula_comparison: (d) => [
    `“${d.left}” is ${d.leftKind}, “${d.right}” is ${d.rightKind}: they cannot be compared.`,
    'Compare values of the same kind.',
  ],
  formula_no_date: (d) => [
    `“${d.given}” is no ${d.what} that exists.`,
    'Write it like 2027-03-01.',
  ],
  formula_too_many_steps: (d) => [
    `The formula did not finish within ${d.limit} steps.`,
    'Make it loop over less.',
  ],
  formula_result: (d) => [`The formula gives ${d.kind}; ${d.label} holds ${d.held}.`, ''],
  // requests
  bad_request: (d) => [`The request cannot be read: ${d.reason}.`, ''],
  not_json: () => ['The request is not JSON.', ''],
  too_large: (d) => [`The request is larger than ${d.limit}.`, ''],
  not_settled: (d) => [`The form did not settle after ${d.rounds} rounds.`, ''],
  answer_unreadable: () => [
    'This page does not understand the server’s answer.',
    'Reload the page: it may be out of date.',
  ],
  unreachable: () => ['The server is not responding.', 'What you typed is safe; we keep trying.'],
  database_away: () => [
    'The database is not responding.',
    'What you typed is safe; try again in a moment.',
  ],
  read_failed: (d) => [`${d.label} could not be loaded.`, 'You can try again.'],
  internal: (d) => ['Something went wrong.', `It was logged as ${d.request}; please try again.`],
} satisfies Record<string, (d: Said) => [sentence: string, hint: string]>;

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
  const said = new Proxy<Said>({}, { get: (_, name) => detailText(String(name), details) });
  const [message, hint] = sentences[code](said);
  return { path, code, message, hint };
}

function detailText(name: string, details: Details): string {
  const detail = details[name];
  if (detail === undefined) return `{${name}}`;
  const text = typeof detail === 'number' ? num(detail) : detail;
  const longest = name === 'users' ? longestList : longestDetail;
  return text.length > longest ? `${text.slice(0, longest)}…` : text;
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
