# Writes a C++ file with the content of VIEWER, STYLE and CHART_STYLE as bytes.
function(embed name file)
  file(READ ${file} hex HEX)
  string(REGEX REPLACE "(..)" "0x\\1," bytes "${hex}")
  file(APPEND ${OUTPUT} "namespace { const unsigned char ${name}Bytes[] = {${bytes}}; }\n"
    "std::string_view ${name}() { return {reinterpret_cast<const char*>(${name}Bytes), sizeof ${name}Bytes}; }\n")
endfunction()
file(WRITE ${OUTPUT} "#include <string_view>\nnamespace barelattice::assets {\n"
  "std::string_view viewerScript();\nstd::string_view pageStyle();\nstd::string_view chartStyle();\n")
embed(viewerScript ${VIEWER})
embed(pageStyle ${STYLE})
embed(chartStyle ${CHART_STYLE})
file(APPEND ${OUTPUT} "}\n")
