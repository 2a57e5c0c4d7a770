// Whoever signs in here next need not find the pages of the bench that the last person carried.
if ("caches" in window) caches.delete("ember-bench-1");
