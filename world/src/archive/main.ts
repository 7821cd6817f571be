import { endWithStarter, toldStarter } from "../starter";
import { serveArchive } from "./serve";

// archive.js FOLDER [PORT [HOST]]: serves the made-up world's files as an archive until it is
// stopped, and prints its address.
const [folder = "data/demo", port = "0", host = "127.0.0.1"] = process.argv.slice(2);
const { server, url } = await serveArchive(folder, host, Number(port));
console.log(url);
const stop = () => {
  server.closeAllConnections();
  server.close(() => process.exit(0));
};
process.on("SIGINT", stop);
process.on("SIGTERM", stop);
endWithStarter(toldStarter(), stop);
