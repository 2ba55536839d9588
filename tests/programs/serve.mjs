// A server that speaks more than plain HTTP/1.1: node serve.mjs PORT tls|h2|gzip [KEY CERTIFICATE]. It replies
// with what it was asked.
import { createServer } from "node:http";
import { createSecureServer } from "node:http2";
import { createServer as createSecure } from "node:https";
import { readFileSync } from "node:fs";
import { gzipSync } from "node:zlib";

const [port, mode, key, certificate] = process.argv.slice(2);
const secrets = key && { key: readFileSync(key), cert: readFileSync(certificate) };

function reply(request, response) {
  const parts = [];
  request.on("data", (part) => parts.push(part));
  request.on("end", () => {
    const body = `${request.method} ${request.url} ${Buffer.concat(parts)} by HTTP/${request.httpVersion}`;
    const packed = mode === "gzip" && /gzip/.test(request.headers["accept-encoding"] ?? "");
    response.setHeader("content-type", "text/plain");
    if (packed) response.setHeader("content-encoding", "gzip");
    response.end(packed ? gzipSync(body) : body);
  });
}

const server = {
  tls: () => createSecure(secrets, reply),
  h2: () => createSecureServer(secrets, reply),
  gzip: () => createServer(reply),
}[mode]();
server.listen(Number(port), "127.0.0.1");
