/**
 * Whether a connection failed over TLS: Node's codes for certificates (https://nodejs.org/api/tls.html#x509-certificate-error-codes)
 * and OpenSSL's, and what the drivers say where the server offers none.
 */
export function isTlsFailure(code: string, message: string): boolean {
  return (
    /^(?:CERT_|ERR_TLS_|ERR_SSL_|UNABLE_TO_|DEPTH_ZERO_|SELF_SIGNED_|HOSTNAME_MISMATCH|HANDSHAKE_SSL_ERROR|HANDSHAKE_NO_SSL)/.test(
      code,
    ) ||
    /does not support (?:SSL|secure)|self-signed certificate|no pg_hba\.conf entry .*(?:SSL off|no encryption)/i.test(
      message,
    )
  );
}
