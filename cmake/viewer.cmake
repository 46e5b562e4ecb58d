# Bundles the viewer of the pages (web/) and embeds it, so that every page opens offline.
set(esbuild ${PROJECT_SOURCE_DIR}/web/node_modules/esbuild/bin/esbuild)
if(NOT EXISTS ${esbuild})
  message(FATAL_ERROR "The viewer's packages are missing: run 'npm ci' in ${PROJECT_SOURCE_DIR}/web once.")
endif()
file(GLOB viewer_sources CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/web/src/*)
foreach(script main inspect)
  set(${script}_js ${PROJECT_BINARY_DIR}/${script}.js)
  add_custom_command(
    OUTPUT ${${script}_js}
    COMMAND ${esbuild} ${PROJECT_SOURCE_DIR}/web/src/${script}.ts --bundle --minify --format=iife
            --target=es2022 --charset=ascii --log-level=warning --outfile=${${script}_js}
    DEPENDS ${viewer_sources} ${PROJECT_SOURCE_DIR}/web/package-lock.json
    COMMENT "Bundling the viewer (${script})")
endforeach()
