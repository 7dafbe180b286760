/* The part of cmocka that the tests of the portable library use, for targets on which it isn't packaged: a check that
 * fails says where and ends the program. Each program is one test file, unchanged. */
#ifndef TESTS_PLAIN_CMOCKA_H
#define TESTS_PLAIN_CMOCKA_H

#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct CMUnitTest {
    const char *name;
    void (*run)(void **state);
};

#define cmocka_unit_test(test)                                                                                         \
    {                                                                                                                  \
#test, test                                                                                                    \
    }

static inline void plain_fail(const char *file, int line, const char *what)
{
    printf("%s:%d: %s\n", file, line, what);
    exit(1);
}

#define PLAIN_CHECK(condition, what) ((condition) ? (void)0 : plain_fail(__FILE__, __LINE__, what))
#define assert_true(a) PLAIN_CHECK(a, #a)
#define assert_false(a) PLAIN_CHECK(!(a), "not: " #a)
#define assert_non_null(a) PLAIN_CHECK((a) != NULL, #a)
#define assert_int_equal(a, b) PLAIN_CHECK((uintmax_t)(a) == (uintmax_t)(b), #a " == " #b)
#define assert_int_not_equal(a, b) PLAIN_CHECK((uintmax_t)(a) != (uintmax_t)(b), #a " != " #b)
#define assert_ptr_equal(a, b) PLAIN_CHECK((const void *)(a) == (const void *)(b), #a " == " #b)
#define assert_string_equal(a, b) PLAIN_CHECK(strcmp(a, b) == 0, #a " == " #b)
#define assert_memory_equal(a, b, size) PLAIN_CHECK(memcmp(a, b, size) == 0, #a " == " #b)
#define assert_in_range(a, low, high)                                                                                  \
    PLAIN_CHECK((uintmax_t)(a) >= (uintmax_t)(low) && (uintmax_t)(a) <= (uintmax_t)(high), #a " in range")
#define print_message printf
#define fail_msg(...) (printf(__VA_ARGS__), plain_fail(__FILE__, __LINE__, ""))

static inline int plain_run(const char *name, const struct CMUnitTest *tests, size_t count, int (*before)(void **),
                            int (*after)(void **))
{
    void *state = NULL;
    if (before && before(&state) != 0)
        return 1;
    for (size_t i = 0; i < count; i++)
        tests[i].run(&state);
    printf("%s: %u passed, 0 failed\n", name, (unsigned)count);
    return after ? after(&state) : 0;
}

#define cmocka_run_group_tests_name(name, tests, before, after)                                                        \
    plain_run(name, tests, sizeof tests / sizeof tests[0], before, after)

#endif
