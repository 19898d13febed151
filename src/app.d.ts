declare global {
  namespace App {
    interface Locals {
      /** Who asks; written into `created_by`, `updated_by` and the journal. */
      person: { name: string };
      /** Names one request in the log. */
      requestId: string;
    }
    interface Error {
      message: string;
      hint?: string;
    }
  }
}

export {};
