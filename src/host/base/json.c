#include "host/base/json.h"

#include <stdarg.h>
#include <string.h>

#include "bilancia/value.h"
#include "port/memory.h"

json_t *jn_object(void)
{
    return mem_made(json_object());
}

json_t *jn_array(void)
{
    return mem_made(json_array());
}

json_t *jn_stringn(const char *text, size_t length)
{
    json_t *made = json_stringn(text, length);
    if (!made && bil_text_is_printable(text, length))
        mem_short();
    return made;
}

json_t *jn_string(const char *text)
{
    return jn_stringn(text, strlen(text));
}

json_t *jn_integer(json_int_t number)
{
    return mem_made(json_integer(number));
}

json_t *jn_pack(const char *format, ...)
{
    va_list list;
    json_error_t at;
    va_start(list, format);
    json_t *made = json_vpack_ex(&at, 0, format, list);
    va_end(list);
    if (!made && json_error_code(&at) == json_error_out_of_memory)
        mem_short();
    return made;
}

json_t *jn_copy(const json_t *json)
{
    return mem_made(json_copy((json_t *)(uintptr_t)json));
}

json_t *jn_deep_copy(const json_t *json)
{
    return mem_made(json_deep_copy(json));
}

void jn_put(json_t *object, const char *key, json_t *value)
{
    bool given = value != NULL;
    if (json_object_set_new(object, key, value) != 0 && given)
        mem_short();
}

void jn_add(json_t *array, json_t *value)
{
    bool given = value != NULL;
    if (json_array_append_new(array, value) != 0 && given)
        mem_short();
}

void jn_put_shared(json_t *object, const char *key, const json_t *value)
{
    jn_put(object, key, json_incref((json_t *)(uintptr_t)value));
}

void jn_add_shared(json_t *array, const json_t *value)
{
    jn_add(array, json_incref((json_t *)(uintptr_t)value));
}

json_t *jn_read(const char *bytes, size_t size, json_error_t *at)
{
    json_error_t own = {0};
    json_t *json = json_loadb(bytes, size, JSON_REJECT_DUPLICATES, &own);
    enum json_error_code code = json_error_code(&own);
    if (!json && (code == json_error_out_of_memory || code == json_error_unknown))
        mem_short();
    if (at)
        *at = own;
    return json;
}

char *jn_text(const json_t *json, size_t flags)
{
    char *text = json ? json_dumps(json, flags) : NULL;
    if (json && !text)
        mem_short();
    return text;
}
