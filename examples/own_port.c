/* A port of one's own: the cells of a device lie in a file, as a card from a data logger would hold them. A port is one
 * const table of four functions and a context; everything else works with it as with any other.   own_port CARD */
#include <bilancia/cells.h>
#include <bilancia/device.h>
#include <stdio.h>

/* ---- the port: cells as pairs of bytes, high byte first, cell 0 at the beginning ---- */

typedef struct card {
    const char *path;
    FILE *file;
} card;

static void close_card(void *ctx)
{
    card *c = ctx;
    if (c->file)
        fclose(c->file);
    c->file = NULL;
}

static bil_outcome open_card(void *ctx, bil_result *result)
{
    card *c = ctx;
    close_card(c);
    c->file = fopen(c->path, "r+b");
    if (!c->file)
        result->cause = BIL_E_NOT_REACHABLE;
    return c->file ? BIL_DONE : BIL_NOT_SENT;
}

/* Moves to the first cell. Only holding cells are on a card, and only as many as the file is long. */
static bil_outcome find(card *c, uint8_t table, uint16_t address, bil_result *result)
{
    result->cause = c->file ? BIL_E_REFUSED : BIL_E_LOST;
    if (!c->file)
        return BIL_NOT_SENT;
    return table == BIL_HOLDING && fseek(c->file, 2L * address, SEEK_SET) == 0 ? BIL_DONE : BIL_REFUSED;
}

static bil_outcome read_card(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    card *c = ctx;
    bil_outcome outcome = find(c, at->table, at->first, result);
    for (uint16_t i = 0; i < at->count && outcome == BIL_DONE; i++) {
        int high = getc(c->file), low = getc(c->file);
        if (low == EOF)
            return BIL_REFUSED; /* not on this card */
        cells[i] = (uint16_t)(high << 8 | low);
    }
    return outcome;
}

static bil_outcome write_card(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    card *c = ctx;
    bil_outcome outcome = find(c, at->table, at->first, result);
    for (uint16_t i = 0; i < at->count && outcome == BIL_DONE; i++)
        if (putc(cells[i] >> 8, c->file) == EOF || putc(cells[i] & 0xff, c->file) == EOF)
            outcome = BIL_UNKNOWN; /* some of it may be there */
    return fflush(c->file) == 0 ? outcome : BIL_UNKNOWN;
}

static const bil_cell_ops card_ops = {open_card, read_card, write_card, close_card, NULL};

/* ---- and its use ---- */

int main(int argc, char **argv)
{
    if (argc != 2)
        return 2;
    card c = {.path = argv[1]};
    bil_cell_link cells;
    bil_link link = bil_cell_link_over(&cells, (bil_cells){&card_ops, &c});
    bil_host *host;
    bil_device *device;
    int error = bil_host_open(&host, NULL);
    if (!error)
        error = bil_device_open_link(host, argv[1], link, (bil_clock){NULL, NULL}, &device);
    if (!error)
        error = bil_device_read(device, NULL);
    const bil_description *d = error ? NULL : bil_device_description(device);
    for (uint16_t i = 0; d && i < d->count; i++) {
        char text[BIL_VALUE_TEXT + 20];
        if (bil_device_value(device, d->params[i].id, text, sizeof text) == BIL_OK)
            printf("%-28s %s\n", d->params[i].id, text);
    }
    if (error)
        fprintf(stderr, "%s\n", bil_host_trouble(host));
    bil_host_close(host);
    return error ? 4 : 0;
}
