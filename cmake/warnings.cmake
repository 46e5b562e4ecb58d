# Warnings every target of the project is built with; errors in CI (BARELATTICE_WARNINGS_AS_ERRORS).
function(barelattice_warnings target)
  target_compile_options(${target} PRIVATE -Wall -Wextra -Wpedantic -Wshadow -Wconversion)
  if(BARELATTICE_WARNINGS_AS_ERRORS)
    target_compile_options(${target} PRIVATE -Werror)
  endif()
endfunction()
