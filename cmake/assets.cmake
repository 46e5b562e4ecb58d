# Files that travel inside the library: what pages are made of, and the briefs that 'new' and 'demo' write.
set(asset_cpp ${PROJECT_BINARY_DIR}/assets.cpp)
set(asset_files
  viewerScript=${main_js}
  inspectScript=${inspect_js}
  pageStyle=${PROJECT_SOURCE_DIR}/web/src/page.css
  chartStyle=${PROJECT_SOURCE_DIR}/web/node_modules/uplot/dist/uPlot.min.css
  firstBrief=${PROJECT_SOURCE_DIR}/examples/first/first.toml
  riggerBrief=${PROJECT_SOURCE_DIR}/examples/rigger/rigger.toml)
string(REPLACE ";" "," asset_list "${asset_files}")
list(TRANSFORM asset_files REPLACE "^[A-Za-z]+=" "" OUTPUT_VARIABLE asset_paths)
add_custom_command(
  OUTPUT ${asset_cpp}
  COMMAND ${CMAKE_COMMAND} -DOUTPUT=${asset_cpp} "-DFILES=${asset_list}" -P ${PROJECT_SOURCE_DIR}/cmake/embed.cmake
  DEPENDS ${asset_paths} ${PROJECT_SOURCE_DIR}/cmake/embed.cmake
  COMMENT "Embedding files")
