#include "door.h"

static bool is_box(const sim_door *door)
{
    return door->index || door->value;
}

static uint32_t number_of(const sim_unit *unit, const sim_door *door)
{
    return door->number > 0 ? (uint32_t)door->number - 1 : (uint32_t)(unit->answers_at - door->number);
}

bool sim_has_numbers(const sim_unit *unit)
{
    for (uint8_t i = 0; i < unit->model->door_count; i++)
        if (unit->model->doors[i].number)
            return true;
    return false;
}

unsigned sim_numbers_of(const sim_model *model)
{
    int most = 1;
    for (uint8_t i = 0; i < model->door_count; i++) {
        if (model->doors[i].number > 0)
            return 0;
        most = 1 - model->doors[i].number > most ? 1 - model->doors[i].number : most;
    }
    return (unsigned)most;
}

uint8_t sim_space_at(const sim_unit *unit, uint32_t number, uint8_t table)
{
    if (number == 0 || number == unit->answers_at || !sim_has_numbers(unit))
        return table;
    bool there = false;
    for (uint8_t i = 0; i < unit->model->door_count; i++) {
        const sim_door *door = &unit->model->doors[i];
        if (!door->number || number_of(unit, door) != number)
            continue;
        there = true;
        if (door->table == table)
            return (uint8_t)(SIM_DOORS + i);
    }
    return there ? SIM_SPACES : SIM_NOWHERE; /* it has no such table */
}

uint8_t sim_table_of(const sim_unit *unit, uint8_t space)
{
    return space >= SIM_DOORS && space < SIM_DOORS + unit->model->door_count
               ? unit->model->doors[space - SIM_DOORS].table
               : space;
}

uint32_t sim_stride_of(const sim_unit *unit, uint8_t space)
{
    const sim_model *model = unit->model;
    if (space == SIM_OBJECTS)
        return SIM_OBJECT;
    bool box = space >= SIM_DOORS && space < SIM_DOORS + model->door_count && is_box(&model->doors[space - SIM_DOORS]);
    return box ? model->doors[space - SIM_DOORS].stride : 1;
}

bool sim_is_bits(const sim_unit *unit, uint8_t space)
{
    uint8_t table = sim_table_of(unit, space);
    return table == SIM_COILS || table == SIM_DISCRETE;
}

const sim_door *sim_box_at(const sim_unit *unit, uint8_t space, uint16_t address, uint16_t count)
{
    for (uint8_t i = 0; i < unit->model->door_count; i++) {
        const sim_door *door = &unit->model->doors[i];
        uint8_t home = door->number ? (uint8_t)(SIM_DOORS + i) : door->table;
        bool here = address >= door->value && address + count <= door->value + door->stride;
        bool on_index = address == door->index &&
                        (count == 1 || (count > 1 && door->value == door->index + 1 && count <= door->stride + 1));
        if (is_box(door) && home == space && (here || on_index))
            return door;
    }
    return NULL;
}
