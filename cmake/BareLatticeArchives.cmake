# The libraries behind 3MF files, as targets: found the same way when the library is built and when an installed one
# is used, so that no path of the machine it was built on is left in it.
function(barelattice_library target name header)
  if(TARGET ${target})
    return()
  endif()
  find_library(BARELATTICE_${name}_LIBRARY ${name} REQUIRED)
  find_path(BARELATTICE_${name}_HEADERS ${header} PATH_SUFFIXES lib3mf REQUIRED)
  mark_as_advanced(BARELATTICE_${name}_LIBRARY BARELATTICE_${name}_HEADERS)
  add_library(${target} UNKNOWN IMPORTED GLOBAL)
  set_target_properties(${target} PROPERTIES IMPORTED_LOCATION ${BARELATTICE_${name}_LIBRARY}
    INTERFACE_INCLUDE_DIRECTORIES ${BARELATTICE_${name}_HEADERS})
endfunction()
# Not through its pkg-config file, which asks for a library Debian's package does not need.
barelattice_library(BareLattice::lib3mf 3MF Model/COM/NMR_DLLInterfaces.h)
# Not by its package: Debian's names programs that come apart from the library.
barelattice_library(BareLattice::libzip zip zip.h)
