# Everything that is for Linux: the ports, the library, what is shown, the simulated units and the tool.
find_package(PkgConfig REQUIRED)
pkg_check_modules(MODBUS REQUIRED IMPORTED_TARGET libmodbus)
pkg_check_modules(JANSSON REQUIRED IMPORTED_TARGET jansson)
pkg_check_modules(YAML REQUIRED IMPORTED_TARGET yaml-0.1)
pkg_check_modules(POPT REQUIRED IMPORTED_TARGET popt)
pkg_check_modules(CRYPTO REQUIRED IMPORTED_TARGET libcrypto)
pkg_check_modules(SERIALPORT REQUIRED IMPORTED_TARGET libserialport)
pkg_check_modules(SQLITE REQUIRED IMPORTED_TARGET sqlite3)
pkg_check_modules(UTF8PROC REQUIRED IMPORTED_TARGET libutf8proc)
pkg_check_modules(CURL REQUIRED libcurl) # these three are loaded when they are needed
pkg_check_modules(SODIUM REQUIRED libsodium)
pkg_check_modules(MICROHTTPD REQUIRED libmicrohttpd)

# Lists are made of what is there; `scripts` read them from the folder of the build.
set(LISTS ${PROJECT_BINARY_DIR}/lists)
function(list_of list type prefix header) # FILES... [INTO name]: the list is in ${LISTS}/<name>.c, else in <list>.c
  cmake_parse_arguments(PARSE_ARGV 4 ARG "" "INTO" "")
  set(files ${ARG_UNPARSED_ARGUMENTS})
  set(name ${list})
  if(ARG_INTO)
    set(name ${ARG_INTO})
  endif()
  add_custom_command(OUTPUT ${LISTS}/${name}.c
    COMMAND ${CMAKE_COMMAND} "-DFILES=${files}" "-DTYPE=${type}" -DPREFIX=${prefix} -DLIST=${list} -DHEADER=${header}
            -DOUT=${LISTS}/${name}.c -P ${PROJECT_SOURCE_DIR}/cmake/list.cmake
    DEPENDS ${files} ${PROJECT_SOURCE_DIR}/cmake/list.cmake VERBATIM)
endfunction()

file(GLOB PORT CONFIGURE_DEPENDS src/port/*.c)
add_library(bilancia_port STATIC ${PORT})
target_include_directories(bilancia_port PRIVATE src ${CURL_INCLUDE_DIRS} ${SODIUM_INCLUDE_DIRS})
target_link_libraries(bilancia_port PUBLIC bilancia PRIVATE PkgConfig::MODBUS PkgConfig::CRYPTO PkgConfig::SERIALPORT PkgConfig::SQLITE z)

file(GLOB HOST CONFIGURE_DEPENDS src/host/*/*.c)
add_library(bilancia_host STATIC ${HOST})
target_include_directories(bilancia_host PRIVATE src)
target_link_libraries(bilancia_host PUBLIC bilancia bilancia_port PkgConfig::JANSSON PRIVATE PkgConfig::YAML PkgConfig::UTF8PROC csv m)

file(GLOB SHOW CONFIGURE_DEPENDS src/show/*.c)
list_of(report_kinds report_kind report_ show/view.h ${SHOW})
list(APPEND SHOW ${LISTS}/report_kinds.c)
add_library(bilancia_show STATIC ${SHOW})
target_include_directories(bilancia_show PRIVATE src)
target_link_libraries(bilancia_show PUBLIC bilancia_host)

# Of these, what needs nothing but the C library: the tests of the portable part are run with it elsewhere.
set(PLAIN_HOST src/host/base/float_text.c src/host/base/arena.c src/host/base/error.c src/host/base/time.c src/host/base/words.c
    src/host/copy/files.c src/host/copy/line_file.c src/host/copy/seals.c src/host/copy/set_bytes.c
    src/host/copy/set_file.c src/port/storage.c src/port/memory.c src/port/digest_beside.c)

file(GLOB SIM CONFIGURE_DEPENDS src/sim/*.c)
list_of(sim_models sim_model sim_ sim/unit.h ${SIM})
set(PLAIN_SIM ${SIM}) # those that need no link of the computer's, nor a library
list(FILTER PLAIN_SIM EXCLUDE REGEX "/(crowd|server|pdu|channel|web|web_server|http|en2)\\.c$")
list_of(sim_models sim_model sim_ sim/unit.h ${PLAIN_SIM} INTO plain_models)
list(APPEND PLAIN_SIM ${LISTS}/plain_models.c)
add_custom_target(plain_models ALL DEPENDS ${LISTS}/plain_models.c)
add_library(bilancia_sim STATIC ${SIM} ${LISTS}/sim_models.c)
target_include_directories(bilancia_sim PRIVATE src ${MICROHTTPD_INCLUDE_DIRS})
target_link_libraries(bilancia_sim PUBLIC bilancia PRIVATE PkgConfig::MODBUS PkgConfig::JANSSON)

foreach(target bilancia_port bilancia_host bilancia_show bilancia_sim)
  target_compile_definitions(${target} PRIVATE _GNU_SOURCE)
endforeach()

# Descriptions become const tables.
add_executable(bilancia-table src/generator/main.c)
target_link_libraries(bilancia-table PRIVATE bilancia_host)
target_include_directories(bilancia-table PRIVATE src)
file(GLOB DESCRIPTIONS CONFIGURE_DEPENDS descriptions/*.yaml)
list(SORT DESCRIPTIONS ORDER DESCENDING) # any order will do, as long as it stays: it tells who is asked for first
set(TABLES)
foreach(description ${DESCRIPTIONS})
  get_filename_component(model ${description} NAME_WE)
  string(REPLACE "-" "_" name ${model})
  set(table ${PROJECT_BINARY_DIR}/tables/${model}.c)
  add_custom_command(OUTPUT ${table}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${PROJECT_BINARY_DIR}/tables
    COMMAND bilancia-table ${description} bil_description_${name} > ${table}
    DEPENDS bilancia-table ${description} VERBATIM)
  list(APPEND TABLES ${table})
endforeach()
list_of(descriptions_built_in bil_description bil_description_ bilancia/description.h ${TABLES})
set(MODELS ${TABLES})
list(APPEND TABLES ${LISTS}/descriptions_built_in.c)
add_library(bilancia_tables STATIC ${TABLES})
target_link_libraries(bilancia_tables PUBLIC bilancia)

# The library for programs: all of that but what is shown. What the headers declare is visible, and nothing else.
option(BILANCIA_SHARED "libbilancia is a shared library" ON)
file(GLOB PUBLIC_HEADERS CONFIGURE_DEPENDS include/bilancia/*.h)
set(VISIBLE "")
foreach(header ${PUBLIC_HEADERS})
  file(STRINGS ${header} lines REGEX "^[a-z].*[ *]bil_[a-z0-9_]+\\(")
  foreach(line ${lines})
    string(REGEX REPLACE "^[a-z].*[ *](bil_[a-z0-9_]+)\\(.*" "\\1" name "${line}")
    list(APPEND VISIBLE ${name})
  endforeach()
  file(STRINGS ${header} lines REGEX "^extern const bil_[a-z0-9_]+ bil_[a-z0-9_]+;")
  foreach(line ${lines})
    string(REGEX REPLACE "^extern const bil_[a-z0-9_]+ (bil_[a-z0-9_]+).*" "\\1" name "${line}")
    list(APPEND VISIBLE ${name})
  endforeach()
endforeach()
list(REMOVE_ITEM VISIBLE "")
list(REMOVE_DUPLICATES VISIBLE)
string(REPLACE ";" ";\n  " names "${VISIBLE}")
file(WRITE ${LISTS}/visible.map "BILANCIA_0 {\nglobal:\n  ${names};\nlocal: *;\n};\n")
string(REPLACE ";" "\n" names "${VISIBLE}")
file(WRITE ${LISTS}/visible.txt "${names}\n")

set(ALL_OBJECTS $<TARGET_OBJECTS:bilancia> $<TARGET_OBJECTS:bilancia_port> $<TARGET_OBJECTS:bilancia_host> $<TARGET_OBJECTS:bilancia_tables>)
set(NEEDS modbus jansson yaml crypto serialport sqlite3 utf8proc csv z m pthread)
if(BILANCIA_SHARED)
  add_library(bilancia_library SHARED ${ALL_OBJECTS})
  set_target_properties(bilancia_library PROPERTIES VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION_MAJOR})
  target_link_options(bilancia_library PRIVATE -Wl,--version-script=${LISTS}/visible.map $<$<NOT:$<OR:$<BOOL:${BILANCIA_SANITIZE}>,$<BOOL:${BILANCIA_RACES}>>>:-Wl,--no-undefined>)
  set_property(TARGET bilancia_library APPEND PROPERTY LINK_DEPENDS ${LISTS}/visible.map)
else()
  # one object, in which everything else is local, so that no name of it meets another of the program's
  add_custom_command(OUTPUT ${PROJECT_BINARY_DIR}/whole.o
    COMMAND ${CMAKE_LINKER} -r -o ${PROJECT_BINARY_DIR}/whole.o ${ALL_OBJECTS}
    COMMAND ${CMAKE_OBJCOPY} --keep-global-symbols=${LISTS}/visible.txt ${PROJECT_BINARY_DIR}/whole.o
    DEPENDS ${ALL_OBJECTS} ${LISTS}/visible.txt COMMAND_EXPAND_LISTS VERBATIM)
  add_library(bilancia_library STATIC ${PROJECT_BINARY_DIR}/whole.o)
  set_target_properties(bilancia_library PROPERTIES LINKER_LANGUAGE C)
endif()
add_library(Bilancia::bilancia ALIAS bilancia_library)
set_target_properties(bilancia_library PROPERTIES OUTPUT_NAME bilancia EXPORT_NAME bilancia)
target_link_libraries(bilancia_library PRIVATE ${NEEDS})
target_include_directories(bilancia_library PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include> $<INSTALL_INTERFACE:include>)
list(TRANSFORM NEEDS PREPEND -l OUTPUT_VARIABLE NEEDED)
list(JOIN NEEDED " " NEEDED)
configure_file(cmake/bilancia.pc.in ${PROJECT_BINARY_DIR}/bilancia.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/bilancia.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
install(TARGETS bilancia_library EXPORT bilancia)

file(GLOB CLI CONFIGURE_DEPENDS src/cli/*.c)
list_of(command_list command command_ cli/cli.h ${CLI})
add_executable(bilancia_tool ${CLI} ${LISTS}/command_list.c)
target_include_directories(bilancia_tool PRIVATE src)
set_target_properties(bilancia_tool PROPERTIES OUTPUT_NAME bilancia)
target_link_options(bilancia_tool PRIVATE -Wl,--gc-sections)
include(CheckLinkerFlag)
check_linker_flag(C -Wl,-z,pack-relative-relocs SHORT_RELOCATIONS) # the tables have many pointers: 10 times less to load
if(SHORT_RELOCATIONS)
  target_link_options(bilancia_tool PRIVATE -Wl,-z,pack-relative-relocs)
endif()
target_compile_definitions(bilancia_tool PRIVATE _GNU_SOURCE BILANCIA_VERSION="${PROJECT_VERSION}")
target_link_libraries(bilancia_tool PRIVATE bilancia_show bilancia_host bilancia_port bilancia_sim bilancia_tables PkgConfig::POPT PkgConfig::JANSSON)

# What the scripts ask: the sources of each room, and the libraries that those of the host take.
set(LIBRARIES)
foreach(library MODBUS JANSSON YAML CRYPTO SERIALPORT SQLITE UTF8PROC MINIZIP)
  list(APPEND LIBRARIES ${${library}_LDFLAGS})
endforeach()
list(APPEND LIBRARIES -lcsv -lz -lm -lpthread)
set(said "")
foreach(room PORTABLE PORT HOST SHOW PLAIN_HOST PLAIN_SIM TABLES LIBRARIES)
  string(REPLACE "${PROJECT_SOURCE_DIR}/" "" text "${${room}}")
  string(REPLACE ";" " " text "${text}")
  string(TOLOWER ${room} name)
  string(APPEND said "${name}='${text}'\n")
endforeach()
file(WRITE ${LISTS}/sources.sh "# Made by the build.\n${said}")


install(TARGETS bilancia_tool bilancia-table)
install(DIRECTORY descriptions/ DESTINATION ${CMAKE_INSTALL_DATADIR}/bilancia/descriptions)
install(FILES ${MODELS} DESTINATION ${CMAKE_INSTALL_DATADIR}/bilancia/tables) # for firmware; see docs/library.md

# Completion where each shell looks for it.
foreach(shell bash zsh fish)
  add_custom_command(OUTPUT ${PROJECT_BINARY_DIR}/completion/${shell}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${PROJECT_BINARY_DIR}/completion
    COMMAND bilancia_tool complete ${shell} > ${PROJECT_BINARY_DIR}/completion/${shell}
    DEPENDS bilancia_tool VERBATIM)
  list(APPEND completions ${PROJECT_BINARY_DIR}/completion/${shell})
endforeach()
add_custom_target(completion ALL DEPENDS ${completions})
install(FILES ${PROJECT_BINARY_DIR}/completion/bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME bilancia)
install(FILES ${PROJECT_BINARY_DIR}/completion/zsh DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions RENAME _bilancia)
install(FILES ${PROJECT_BINARY_DIR}/completion/fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d RENAME bilancia.fish)

set(BILANCIA_USER bilancia CACHE STRING "the user that the units of systemd run as")
foreach(unit bilancia-read@.service bilancia-read@.timer bilancia-watch@.service)
  configure_file(systemd/${unit}.in ${PROJECT_BINARY_DIR}/systemd/${unit} @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/systemd/${unit} DESTINATION lib/systemd/system)
endforeach()

if(BILANCIA_TESTS)
  enable_testing()
  pkg_check_modules(CMOCKA REQUIRED IMPORTED_TARGET cmocka)
  add_subdirectory(tests)
endif()
