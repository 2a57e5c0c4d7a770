// What the workshop said can be put away, and goes by itself when the next thing succeeds.
const clear = () => {
  document.getElementById("said").innerHTML = "";
};
document.addEventListener("click", (event) => {
  if (event.target.closest("#said button")) clear();
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") clear();
});
document.body.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.xhr.status < 400 && event.detail.requestConfig.verb === "post") clear();
});
document.body.addEventListener("htmx:sendError", () => {
  const said = document.getElementById("said");
  said.innerHTML = "";
  const words = document.createElement("p");
  words.textContent = "The workshop does not answer. Is it still running? Nothing was changed.";
  said.append(words);
});
