# Writes a C file with a list of all that is defined by the name of PREFIX in FILES, so that what is added is listed by
# being there. Called while building: cmake -DFILES=... -DTYPE=... -DPREFIX=... -DLIST=... -DHEADER=... -DOUT=... -P
set(externs "")
set(places "")
foreach(file ${FILES})
  file(STRINGS ${file} lines REGEX "^const ${TYPE} ${PREFIX}[a-z0-9_]+ = ")
  foreach(line ${lines})
    string(REGEX REPLACE "^const ${TYPE} (${PREFIX}[a-z0-9_]+) = .*" "\\1" name "${line}")
    string(APPEND externs "extern const ${TYPE} ${name};\n")
    string(APPEND places "    &${name},\n")
  endforeach()
endforeach()
file(WRITE ${OUT} "/* Made by the build; see cmake/list.cmake. */\n#include <stddef.h>\n\n#include \"${HEADER}\"\n\n${externs}\nconst ${TYPE} *const ${LIST}[] = {\n${places}    NULL,\n};\n")
