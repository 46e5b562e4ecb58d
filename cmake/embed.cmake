# Writes a C++ file with functions that return the content of files: FILES is a list of name=path.
set(declarations "")
set(definitions "")
string(REPLACE "," ";" entries "${FILES}")
foreach(entry ${entries})
  string(REGEX MATCH "^([A-Za-z]+)=(.*)$" match "${entry}")
  set(name ${CMAKE_MATCH_1})
  file(READ ${CMAKE_MATCH_2} hex HEX)
  string(REGEX REPLACE "(..)" "0x\\1," bytes "${hex}")
  string(APPEND declarations "std::string_view ${name}();\n")
  string(APPEND definitions "namespace { const unsigned char ${name}Bytes[] = {${bytes}}; }\n"
    "std::string_view ${name}() { return {reinterpret_cast<const char*>(${name}Bytes), sizeof ${name}Bytes}; }\n")
endforeach()
file(WRITE ${OUTPUT} "#include <string_view>\nnamespace barelattice::assets {\n${declarations}${definitions}}\n")
