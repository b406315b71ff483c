import { Problem, problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import { EngineError } from "./database.js";

/** What a driver's error says, in the same words for every engine. */
interface DriverError {
  readonly code: string;
  /** The engine's number for it, where it has numbers. */
  readonly number: number;
  readonly message: string;
  /** The message with whatever else the engine says. */
  readonly reason: string;
}

/** How the failures of an engine become ours. */
export interface Failures {
  readonly read: (error: unknown) => DriverError;
  /** The first that is so counts; an error that is none of them is one of the statement that was sent. */
  readonly known: readonly (readonly [isSo: (error: DriverError) => boolean, failure: FailureName])[];
  /** What a person can do about an error of a script, by the engine's code or number. */
  readonly remedies: Readonly<Record<string, string>>;
}

type FailureName = keyof typeof FAILURES;

type Make = (error: DriverError, target: TargetSettings, cause: unknown) => Problem;

const FAILURES = {
  noTls: ({ message }, { name, label }, cause) =>
    problems.noTls({ target: name, label, reason: message }, cause),
  noDatabase: (_, { name, label }, cause) =>
    problems.noDatabase({ target: name, label, server: true }, cause),
  notLetIn: ({ reason }, { name, label }, cause) => problems.notLetIn({ target: name, label, reason }, cause),
  locked: (_, { name, lockTimeout }, cause) =>
    problems.locked({ target: name, waited: `${lockTimeout / 1000} s` }, cause),
  readOnly: ({ reason }, { label }, cause) => problems.readOnly({ label, reason }, cause),
  unreachable: ({ message, code }, { name, label }, cause) =>
    problems.unreachable({ target: name, label, reason: message || code }, cause),
  cutOff: ({ message }, target, cause) =>
    problems.cutOff(
      {
        target: target.name,
        reason: message,
        stepwise: dialectOf(target).render.steps !== undefined,
      },
      cause,
    ),
  notADatabase: (_, { label }, cause) => problems.notADatabase({ file: label }, cause),
  readOnlyFile: (_, { label }, cause) => problems.readOnly({ label }, cause),
  cannotOpen: ({ message }, { label }, cause) => problems.cannotOpen({ file: label, reason: message }, cause),
} as const satisfies Record<string, Make>;

/**
 * An error of an engine as a problem of ours.
 * @param sql what was sent; absent: the connection was to be made
 */
export function explainFailure(
  error: unknown,
  { target, failures, sql }: { target: TargetSettings; failures: Failures; sql?: string },
): Problem {
  if (error instanceof Problem) return error;
  const read = failures.read(error);
  const known = failures.known.find(([isSo]) => isSo(read));
  if (known) return FAILURES[known[1]](read, target, error);
  return sql === undefined
    ? problems.unreachable({ target: target.name, label: target.label, reason: read.reason }, error)
    : problems.queryFailed({ reason: read.reason, statement: sql }, error);
}

/** An error of a statement of a script: the engine's own, unless it says something of the connection. */
export function scriptFailure(
  error: unknown,
  { target, failures }: { target: TargetSettings; failures: Failures },
): Problem | EngineError {
  const problem = explainFailure(error, { target, failures, sql: "" });
  // Where each statement is committed by itself, a right that lacks in the midst is a statement that failed.
  const isOfRights = [problems.readOnly.code, problems.notLetIn.code].some(code => code === problem.code);
  const isOne = isOfRights && dialectOf(target).render.steps !== undefined;
  if (problem.code !== problems.queryFailed.code && !isOne) return problem;
  const { code, number, reason } = failures.read(error);
  const { remedies } = failures;
  const remedy =
    remedies[code] ??
    remedies[String(number)] ??
    (isOne ? "give yourself the right to do that" : undefined) ??
    "correct the script, or the models and draft again; then run again";
  return new EngineError(code, reason, remedy, error);
}

/** Node's codes for the network: https://nodejs.org/api/errors.html#common-system-errors */
export function isOutOfReach({ code }: DriverError): boolean {
  return /^(?:ECONNREFUSED|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|EAI_AGAIN)$/.test(code);
}

/**
 * Whether a connection failed over TLS: Node's codes for certificates (https://nodejs.org/api/tls.html#x509-certificate-error-codes)
 * and OpenSSL's, and what the drivers say where the server offers none.
 */
export function isTlsFailure({ code, message }: DriverError): boolean {
  return (
    /^(?:CERT_|ERR_TLS_|ERR_SSL_|UNABLE_TO_|DEPTH_ZERO_|SELF_SIGNED_|HOSTNAME_MISMATCH|HANDSHAKE_SSL_ERROR|HANDSHAKE_NO_SSL)/.test(
      code,
    ) ||
    /does not support (?:SSL|secure)|self-signed certificate|no pg_hba\.conf entry .*(?:SSL off|no encryption)/i.test(
      message,
    )
  );
}
