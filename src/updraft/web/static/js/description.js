/** The description of a flow: only its button to print. */
document.querySelector("[data-print]")?.addEventListener("click", () => window.print());
