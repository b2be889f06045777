// The built web server, ended with whoever started it: their channel closes when they end, however they end.
process.on('disconnect', () => process.exit(0));
await import('../build/index.js');
