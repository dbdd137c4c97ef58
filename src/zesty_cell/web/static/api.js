// The page to read and to try the API: the viewer is given the application's own description.
const place = document.getElementById("api");

window.SwaggerUIBundle({
  url: place.dataset.from,
  domNode: place,
  presets: [window.SwaggerUIBundle.presets.apis],
  deepLinking: true,
  defaultModelsExpandDepth: 0,
  docExpansion: "list",
  supportedSubmitMethods: ["get", "post", "put", "delete"],
  tryItOutEnabled: false,
  validatorUrl: null,
});

// It brings its own dark look, named on the root element.
document.documentElement.classList.toggle("dark-mode", document.documentElement.dataset.theme === "dusk");
