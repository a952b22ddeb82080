// A ClickHouse engine of this process behind a loopback port: a line of JSON is a statement, the
// line that comes back is its answer. Usage: node tools/clickhouse-bridge.js folder port
const net = require("net");
const { Session } = require(process.cwd() + "/node_modules/chdb");
const [folder, port] = process.argv.slice(2);
const session = new Session(folder);
net
  .createServer((socket) => {
    let rest = "";
    socket.on("data", (chunk) => {
      const lines = (rest + chunk).split("\n");
      rest = lines.pop();
      for (const line of lines) {
        let answer;
        try {
          const text = session.query(JSON.parse(line), "JSONCompact");
          const { meta, data } = text ? JSON.parse(text) : { meta: [], data: [] };
          const columns = meta.map((_, k) => data.map((row) => row[k]));
          answer = { names: meta.map((m) => m.name), types: meta.map((m) => m.type), columns };
        } catch (e) {
          answer = { error: String(e) };
        }
        socket.write(JSON.stringify(answer) + "\n");
      }
    });
    socket.on("end", () => process.exit(0));
  })
  .listen(Number(port), "127.0.0.1");
