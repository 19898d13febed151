/** An invitation as people see it. */
export interface Invitation {
  id: string;
  form: string;
  record: number | null;
  key: string | null;
  /** Whether it lets anybody add records, instead of opening one. */
  adds: boolean;
  /** So many records in an hour; any number where it is `null`. */
  perHour: number | null;
  /** What somebody reads who has added a record. */
  message: string;
  note: string;
  endsAt: string;
  uses: number;
  used: number;
  revokedAt: string | null;
  by: string;
  madeAt: string;
}
