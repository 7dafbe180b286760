/* jansson, whose failures for want of memory leave a mark (port/memory.h): what is made with these in one scope is
 * whole where that has none. */
#ifndef BIL_HOST_BASE_JSON_H
#define BIL_HOST_BASE_JSON_H

#include <jansson.h>

json_t *jn_object(void);
json_t *jn_array(void);
/* NULL without a mark where it isn't UTF-8. */
json_t *jn_string(const char *text);
json_t *jn_stringn(const char *text, size_t length);
json_t *jn_integer(json_int_t number);
json_t *jn_pack(const char *format, ...);
json_t *jn_copy(const json_t *json);
json_t *jn_deep_copy(const json_t *json);
/* The first two take the value over, the others share it. */
void jn_put(json_t *object, const char *key, json_t *value);
void jn_add(json_t *array, json_t *value);
void jn_put_shared(json_t *object, const char *key, const json_t *value);
void jn_add_shared(json_t *array, const json_t *value);
/* NULL without a mark where it is no JSON, or has a key twice; `at` may be NULL. */
json_t *jn_read(const char *bytes, size_t size, json_error_t *at);
/* To be freed. */
char *jn_text(const json_t *json, size_t flags);

#endif
