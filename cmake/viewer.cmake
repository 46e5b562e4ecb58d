# Bundles the viewer of the pages (web/) and embeds it, so that every page opens offline.
set(esbuild ${PROJECT_SOURCE_DIR}/web/node_modules/esbuild/bin/esbuild)
if(NOT EXISTS ${esbuild})
  message(FATAL_ERROR "The viewer's packages are missing: run 'npm ci' in ${PROJECT_SOURCE_DIR}/web once.")
endif()
file(GLOB viewer_sources CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/web/src/*)
set(viewer_js ${PROJECT_BINARY_DIR}/viewer.js)
add_custom_command(
  OUTPUT ${viewer_js}
  COMMAND ${esbuild} ${PROJECT_SOURCE_DIR}/web/src/main.ts --bundle --minify --format=iife
          --target=es2022 --charset=ascii --log-level=warning --outfile=${viewer_js}
  DEPENDS ${viewer_sources} ${PROJECT_SOURCE_DIR}/web/package-lock.json
  COMMENT "Bundling the viewer")
