#include "ports.h"

#include <libserialport.h>
#include <stdio.h>

size_t ports_list(serial_port *list, size_t room)
{
    struct sp_port **ports;
    size_t count = 0;
    if (sp_list_ports(&ports) != SP_OK)
        return 0;
    for (; ports[count]; count++)
        if (count < room) {
            const char *what = sp_get_port_description(ports[count]);
            snprintf(list[count].path, sizeof list[count].path, "%s", sp_get_port_name(ports[count]));
            snprintf(list[count].what, sizeof list[count].what, "%s", what ? what : "");
        }
    sp_free_port_list(ports);
    return count;
}
