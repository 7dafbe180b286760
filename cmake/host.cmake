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
pkg_check_modules(MINIZIP REQUIRED IMPORTED_TARGET minizip)

# Lists are made of what is there; `scripts` read them from the folder of the build.
set(LISTS ${PROJECT_BINARY_DIR}/lists)
function(list_of list type prefix header) # FILES...: the list is in ${LISTS}/<list>.c
  add_custom_command(OUTPUT ${LISTS}/${list}.c
    COMMAND ${CMAKE_COMMAND} "-DFILES=${ARGN}" "-DTYPE=${type}" -DPREFIX=${prefix} -DLIST=${list} -DHEADER=${header}
            -DOUT=${LISTS}/${list}.c -P ${PROJECT_SOURCE_DIR}/cmake/list.cmake
    DEPENDS ${ARGN} ${PROJECT_SOURCE_DIR}/cmake/list.cmake VERBATIM)
endfunction()

file(GLOB PORT CONFIGURE_DEPENDS src/port/*.c)
add_library(bilancia_port STATIC ${PORT})
target_include_directories(bilancia_port PRIVATE src)
target_link_libraries(bilancia_port PUBLIC bilancia PRIVATE PkgConfig::MODBUS PkgConfig::CRYPTO PkgConfig::SERIALPORT PkgConfig::SQLITE PkgConfig::MINIZIP z)

file(GLOB HOST CONFIGURE_DEPENDS src/host/*.c src/host/*/*.c src/show/*.c)
set(SHOW ${HOST})
list(FILTER SHOW INCLUDE REGEX "/src/show/")
list_of(report_kinds report_kind report_ show/view.h ${SHOW})
list(APPEND HOST ${LISTS}/report_kinds.c)
add_library(bilancia_host STATIC ${HOST})
target_include_directories(bilancia_host PRIVATE src)
target_link_libraries(bilancia_host PUBLIC bilancia bilancia_port PkgConfig::JANSSON PRIVATE PkgConfig::YAML PkgConfig::UTF8PROC csv m)

# Of these, what needs nothing but the C library: the tests of the portable part are run with it elsewhere.
set(PLAIN_HOST src/host/base/float_text.c src/host/base/arena.c src/host/base/error.c src/host/base/time.c src/show/advice.c src/host/copy/line_file.c
    src/host/copy/set_file.c src/port/storage.c src/port/memory.c)

file(GLOB SIM CONFIGURE_DEPENDS src/sim/*.c)
list_of(sim_models sim_model sim_ sim/unit.h ${SIM})
set(PLAIN_SIM ${SIM} ${LISTS}/sim_models.c) # those that need no link of the computer's
list(FILTER PLAIN_SIM EXCLUDE REGEX "/(crowd|server|pdu)\\.c$")
add_library(bilancia_sim STATIC ${SIM} ${LISTS}/sim_models.c)
target_include_directories(bilancia_sim PRIVATE src)
target_link_libraries(bilancia_sim PUBLIC bilancia PRIVATE PkgConfig::MODBUS)

foreach(target bilancia_port bilancia_host bilancia_sim)
  target_compile_definitions(${target} PRIVATE _GNU_SOURCE)
endforeach()

# Descriptions become const tables.
add_executable(bilancia-table src/cli/table_main.c)
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
list(APPEND TABLES ${LISTS}/descriptions_built_in.c)
add_library(bilancia_tables STATIC ${TABLES})
target_link_libraries(bilancia_tables PUBLIC bilancia)

file(GLOB CLI CONFIGURE_DEPENDS src/cli/*.c)
list(REMOVE_ITEM CLI ${PROJECT_SOURCE_DIR}/src/cli/table_main.c)
list_of(command_list command command_ cli/cli.h ${CLI})
add_executable(bilancia_tool ${CLI} ${LISTS}/command_list.c)
target_include_directories(bilancia_tool PRIVATE src)
set_target_properties(bilancia_tool PROPERTIES OUTPUT_NAME bilancia)
target_compile_definitions(bilancia_tool PRIVATE _GNU_SOURCE BILANCIA_VERSION="${PROJECT_VERSION}")
target_link_libraries(bilancia_tool PRIVATE bilancia_host bilancia_port bilancia_sim bilancia_tables PkgConfig::POPT PkgConfig::JANSSON)

# What the scripts ask: the sources of each room, and the libraries that those of the host take.
set(LIBRARIES)
foreach(library MODBUS JANSSON YAML CRYPTO SERIALPORT SQLITE UTF8PROC MINIZIP)
  list(APPEND LIBRARIES ${${library}_LDFLAGS})
endforeach()
list(APPEND LIBRARIES -lcsv -lz -lm -lpthread)
set(said "")
foreach(room PORTABLE PORT HOST PLAIN_HOST PLAIN_SIM TABLES LIBRARIES)
  string(REPLACE "${PROJECT_SOURCE_DIR}/" "" text "${${room}}")
  string(REPLACE ";" " " text "${text}")
  string(TOLOWER ${room} name)
  string(APPEND said "${name}='${text}'\n")
endforeach()
file(WRITE ${LISTS}/sources.sh "# Made by the build.\n${said}")


install(TARGETS bilancia_tool bilancia-table)
install(DIRECTORY descriptions/ DESTINATION ${CMAKE_INSTALL_DATADIR}/bilancia/descriptions)
install(FILES ${TABLES} DESTINATION ${CMAKE_INSTALL_DATADIR}/bilancia/tables) # for firmware; see docs/library.md

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
