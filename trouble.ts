import { postJson } from '/work/main/standins/http.ts';
console.log(await (await postJson('http://127.0.0.1:4313/api/trouble', JSON.parse(process.argv[2]))).text());
