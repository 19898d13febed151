/** An invitation as people see it. */
export interface Invitation {
  id: string;
  form: string;
  record: number | null;
  key: string | null;
  note: string;
  endsAt: string;
  uses: number;
  used: number;
  revokedAt: string | null;
  by: string;
  madeAt: string;
}
