(function () {
  "use strict";
  var marks = function (stage) { return document.querySelectorAll("svg [data-stage='" + stage + "']"); };
  var group = document.querySelector(".switches");
  if (group) {
    group.hidden = false;
    group.addEventListener("click", function (event) {
      var button = event.target.closest("button");
      if (!button) return;
      var shown = button.getAttribute("aria-pressed") !== "true";
      button.setAttribute("aria-pressed", String(shown));
      marks(button.dataset.switch).forEach(function (mark) { mark.classList.toggle("off", !shown); });
    });
  }
  document.querySelectorAll("figure svg").forEach(function (svg) {
    svg.addEventListener("mouseover", function (event) {
      var own = event.target.closest("[data-stage]");
      svg.querySelectorAll("[data-stage]").forEach(function (mark) {
        mark.classList.toggle("dim", Boolean(own) && mark.dataset.stage !== own.dataset.stage);
      });
    });
    svg.addEventListener("mouseleave", function () {
      svg.querySelectorAll(".dim").forEach(function (mark) { mark.classList.remove("dim"); });
    });
  });
})();
